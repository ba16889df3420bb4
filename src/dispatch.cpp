// One call of a compiled kernel: finds the routine for the types of the
// arguments and runs it; anything else is asked of R.
#include <Rcpp.h>
#include <R_ext/Rdynload.h>

namespace {

const int most_arguments = 64;

typedef SEXP (*kernel_routine)(SEXP*);

const SEXP past_end = reinterpret_cast<SEXP>(1);  // DS_PAST_END of kernel.h

// Appends the code of one argument, as type_code() has it; false where it has none.
bool add_code(SEXP value, std::string& code) {
  char mode;
  switch (TYPEOF(value)) {
    case REALSXP: mode = 'd'; break;
    case INTSXP: mode = 'i'; break;
    case LGLSXP: mode = 'l'; break;
    default: return false;
  }
  int rank = XLENGTH(value) == 1 ? 0 : 1;
  for (SEXP at = ATTRIB(value); at != R_NilValue; at = CDR(at)) {
    if (TAG(at) != R_DimSymbol) return false;
    rank = Rf_length(CAR(at));
    if (rank < 2 || rank > 9) return false;
  }
  code += mode;
  code += static_cast<char>('0' + rank);
  return true;
}

SEXP ask_r(const char* what, SEXP state, SEXP arguments) {
  static SEXP space = NULL;
  if (space == NULL) space = R_FindNamespace(Rf_mkString("deepstride"));
  SEXP f = PROTECT(Rf_findFun(Rf_install(what), space));
  SEXP list = PROTECT(Rf_allocVector(VECSXP, Rf_length(arguments)));
  R_xlen_t i = 0;
  for (SEXP a = arguments; a != R_NilValue; a = CDR(a)) SET_VECTOR_ELT(list, i++, CAR(a));
  SEXP call = PROTECT(Rf_lang3(f, state, list));
  SEXP value = Rf_eval(call, R_GlobalEnv);
  UNPROTECT(3);
  return value;
}

}  // namespace

extern "C" SEXP ds_dispatch(SEXP arguments) {
  SEXP state = CADR(arguments);
  SEXP given = CDDR(arguments);
  SEXP held[most_arguments];
  std::string code;
  int count = 0;
  bool known = true;
  for (SEXP a = given; a != R_NilValue && known; a = CDR(a)) {
    known = count < most_arguments && add_code(CAR(a), code);
    if (known) held[count++] = CAR(a);
  }
  if (known) {
    static SEXP routines_symbol = Rf_install("routines");
    SEXP routines = Rf_findVarInFrame(state, routines_symbol);
    SEXP names = Rf_getAttrib(routines, R_NamesSymbol);
    for (R_xlen_t i = 0; i < Rf_xlength(names); ++i) {
      if (code != CHAR(STRING_ELT(names, i))) continue;
      void* address = R_ExternalPtrAddr(VECTOR_ELT(routines, i));
      if (address == NULL) break;  // came from another process
      kernel_routine routine = reinterpret_cast<kernel_routine>(address);
      SEXP value = routine(held);
      if (value == past_end) return ask_r("build_for_past_end", state, given);
      return value != NULL ? value : ask_r("hand_back", state, given);
    }
  }
  return ask_r("first_of_types", state, given);
}

// Where `.External` finds it.
// [[Rcpp::export(rng = false)]]
SEXP dispatch_address() {
  return R_MakeExternalPtrFn(reinterpret_cast<DL_FUNC>(ds_dispatch), Rf_install("native symbol"), R_NilValue);
}
