// Named, nested spans: a tree of counters under the one that is open.
#include <Rcpp.h>
#include <chrono>
#include <memory>
#include <vector>

namespace {

double now_seconds() {
  using clock = std::chrono::steady_clock;
  return std::chrono::duration<double>(clock::now().time_since_epoch()).count();
}

struct Span {
  SEXP name;  // a CHARSXP, preserved while the collection is on
  Span* parent;
  double count = 0, total = 0, inner = 0, start = 0;
  std::vector<std::unique_ptr<Span>> parts;
  Span(SEXP name, Span* parent) : name(name), parent(parent) {}
};

std::unique_ptr<Span> root;
Span* open_span = nullptr;

// Strings are interned, so that one comparison of pointers finds a part.
Span* part_named(Span* span, SEXP name) {
  for (auto& part : span->parts) {
    if (part->name == name) return part.get();
  }
  R_PreserveObject(name);
  span->parts.emplace_back(new Span(name, span));
  return span->parts.back().get();
}

void release(Span* span) {
  if (span->parent) R_ReleaseObject(span->name);
  for (auto& part : span->parts) release(part.get());
}

struct Rows {
  std::vector<std::string> path;
  std::vector<double> depth, count, total, own;
};

void list_spans(const Span* span, const std::string& prefix, double depth, Rows& rows) {
  for (const auto& part : span->parts) {
    const std::string path = prefix + CHAR(part->name);
    rows.path.push_back(path);
    rows.depth.push_back(depth);
    rows.count.push_back(part->count);
    rows.total.push_back(part->total);
    rows.own.push_back(part->total - part->inner);
    list_spans(part.get(), path + " > ", depth + 1, rows);
  }
}

}  // namespace

// Opens a span in the one that is open.
// [[Rcpp::export(rng = false)]]
void span_open(SEXP name) {
  if (!open_span || TYPEOF(name) != STRSXP || XLENGTH(name) != 1) Rcpp::stop("a span's name must be one string");
  open_span = part_named(open_span, STRING_ELT(name, 0));
  open_span->start = now_seconds();
}

// [[Rcpp::export(rng = false)]]
void span_close() {
  if (!open_span || !open_span->parent) return;
  const double elapsed = now_seconds() - open_span->start;
  ++open_span->count;
  open_span->total += elapsed;
  open_span = open_span->parent;
  open_span->inner += elapsed;
}

// Starts an empty collection; FALSE when one is on already.
// [[Rcpp::export(rng = false)]]
bool spans_start() {
  if (root) return false;
  root.reset(new Span(R_NilValue, nullptr));
  open_span = root.get();
  return true;
}

// Ends the collection and returns its rows, outer spans before their parts.
// [[Rcpp::export(rng = false)]]
Rcpp::List spans_end() {
  Rows rows;
  if (root) {
    list_spans(root.get(), "", 0, rows);
    release(root.get());
  }
  root.reset();
  open_span = nullptr;
  return Rcpp::List::create(Rcpp::_["path"] = rows.path, Rcpp::_["depth"] = rows.depth,
                            Rcpp::_["count"] = rows.count, Rcpp::_["total"] = rows.total,
                            Rcpp::_["own"] = rows.own);
}
