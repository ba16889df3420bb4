/* Text in emitted kernels, where they speak of any: it is read and put elsewhere, never made. A single text is R's own cached string, which
 * the vector that it comes from, or the session, keeps. */
#ifndef DEEPSTRIDE_TEXT_H
#define DEEPSTRIDE_TEXT_H
typedef SEXP ds_character;
#define DS_TEXT_DATA(s) ((SEXP *) STRING_PTR(s))
static inline SEXP ds_fresh_character(R_xlen_t n) { return Rf_allocVector(STRSXP, n); }
static inline SEXP *ds_data_character(SEXP s) { return DS_TEXT_DATA(s); }
#define DS_TEXT_CONSTANT(text) ({ static SEXP ds_kept_text = NULL; \
  if (ds_kept_text == NULL) R_PreserveObject(ds_kept_text = Rf_mkCharCE(text, CE_UTF8)); ds_kept_text; })
#define DS_PUT_TEXT(x, at, v) do { const SEXP ds_x = (v); const R_xlen_t ds_k = (at); DS_NEED(!DS_OUTSIDE(ds_k, x##_n)); \
  SET_STRING_ELT(x##_s, ds_k - 1, ds_x); } while (0)
/* Strings of one encoding are the same object or differ, and of any where one begins with another ASCII character. How far
 * from its object the text of a string begins is the same for all. */
static inline int ds_begin_apart(SEXP a, SEXP b) {
  static ptrdiff_t offset = 0;
  if (DS_RARE(offset == 0)) offset = R_CHAR(NA_STRING) - (const char *) NA_STRING;
  const unsigned char first = ((const unsigned char *) a)[offset], other = ((const unsigned char *) b)[offset];
  return first != other && (first < 128 || other < 128);
}
static inline int ds_same_text(SEXP a, SEXP b) {
  if (a == b) return 1;
  if (ds_begin_apart(a, b)) return 0;
  if (Rf_getCharCE(a) == Rf_getCharCE(b)) return 0;
  const void *top = vmaxget();
  const int same = strcmp(Rf_translateCharUTF8(a), Rf_translateCharUTF8(b)) == 0;
  vmaxset(top);
  return same;
}
static inline int ds_eq_t(SEXP a, SEXP b) { return a == NA_STRING || b == NA_STRING ? NA_LOGICAL : ds_same_text(a, b); }
static inline int ds_ne_t(SEXP a, SEXP b) { return a == NA_STRING || b == NA_STRING ? NA_LOGICAL : !ds_same_text(a, b); }
#endif
