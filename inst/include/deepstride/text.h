/* Text in emitted kernels, where they speak of any. A single text is R's own cached string, which
 * the vector that it comes from, or the session, keeps. */
#ifndef DEEPSTRIDE_TEXT_H
#define DEEPSTRIDE_TEXT_H
#include <stdio.h>
typedef SEXP ds_character;
#define DS_TEXT_DATA(s) ((SEXP *) STRING_PTR(s))
static inline SEXP ds_fresh_character(R_xlen_t n) { return Rf_allocVector(STRSXP, n); }
static inline SEXP *ds_data_character(SEXP s) { return DS_TEXT_DATA(s); }
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
  const cetype_t one = Rf_getCharCE(a), other = Rf_getCharCE(b);
  if (one == other || one == CE_BYTES || other == CE_BYTES) return 0;
  const void *top = vmaxget();
  const int same = strcmp(Rf_translateCharUTF8(a), Rf_translateCharUTF8(b)) == 0;
  vmaxset(top);
  return same;
}
static inline int ds_eq_t(SEXP a, SEXP b) { return a == NA_STRING || b == NA_STRING ? NA_LOGICAL : ds_same_text(a, b); }
static inline int ds_ne_t(SEXP a, SEXP b) { return a == NA_STRING || b == NA_STRING ? NA_LOGICAL : !ds_same_text(a, b); }
/* Single texts of ASCII characters that are made of single values; where R has more to say: R_NilValue. */
static inline int ds_is_ascii(const char *s, R_xlen_t n) {
  unsigned char all = 0;
  for (R_xlen_t k = 0; k < n; ++k) all |= (unsigned char) s[k];
  return all < 128;
}
/* Letters, not bytes; what is no valid text is left to R. */
static inline int ds_count_letters(SEXP text, int *bad) {
  if (text == NA_STRING || ds_is_ascii(R_CHAR(text), LENGTH(text))) return text == NA_STRING ? NA_INTEGER : LENGTH(text);
  const int count = R_nchar(text, Chars, TRUE, FALSE, "");
  if (count == NA_INTEGER) *bad = 1;
  return count;
}
static inline int ds_is_single(SEXP cell, int type) {
  return TAG(cell) == R_NilValue && TYPEOF(CAR(cell)) == type && XLENGTH(CAR(cell)) == 1 && ATTRIB(CAR(cell)) == R_NilValue;
}
/* The text of a single value, or NULL; a number is written into `room`. Doubles from 10^5 on have an exponent. */
static inline const char *ds_written(SEXP cell, char *room) {
  if (ds_is_single(cell, STRSXP)) {
    const SEXP text = STRING_ELT(CAR(cell), 0);
    return ds_is_ascii(R_CHAR(text), LENGTH(text)) ? R_CHAR(text) : NULL;
  }
  if (ds_is_single(cell, LGLSXP)) {
    const int flag = LOGICAL(CAR(cell))[0];
    return flag == NA_LOGICAL ? "NA" : flag ? "TRUE" : "FALSE";
  }
  int number = NA_INTEGER;
  if (ds_is_single(cell, INTSXP)) {
    if ((number = INTEGER(CAR(cell))[0]) == NA_INTEGER) return "NA";
  } else if (ds_is_single(cell, REALSXP) && !(Rf_asInteger(Rf_GetOption1(Rf_install("scipen"))) < 0)) {
    const double value = REAL(CAR(cell))[0];
    if (!(value > -100000 && value < 100000) || value != (number = (int) value)) return NULL;
  } else {
    return NULL;
  }
  snprintf(room, 16, "%d", number);
  return room;
}
static inline int ds_is_missing_single(SEXP value) {
  return TYPEOF(value) == STRSXP ? STRING_ELT(value, 0) == NA_STRING : TYPEOF(value) != REALSXP && INTEGER(value)[0] == NA_INTEGER;
}
/* What `sep` says, or `usual`; NULL where it is no single text of ASCII characters. */
static inline const char *ds_between(SEXP cells, const char *usual) {
  for (SEXP cell = cells; cell != R_NilValue; cell = CDR(cell)) {
    if (TAG(cell) != Rf_install("sep")) continue;
    const SEXP sep = CAR(cell);
    if (TYPEOF(sep) != STRSXP || XLENGTH(sep) != 1 || STRING_ELT(sep, 0) == NA_STRING) return NULL;
    usual = R_CHAR(STRING_ELT(sep, 0));
  }
  return ds_is_ascii(usual, strlen(usual)) ? usual : NULL;
}
static inline SEXP ds_pasted(SEXP cells, const char *usual) {
  const char *const sep = ds_between(cells, usual);
  char made[1024], number[16];
  size_t size = 0;
  int pieces = 0;
  if (sep == NULL) return R_NilValue;
  for (SEXP cell = cells; cell != R_NilValue; cell = CDR(cell)) {
    if (TAG(cell) == Rf_install("sep")) continue;
    const char *const text = ds_written(cell, number);
    if (text == NULL) return R_NilValue;
    const size_t between = pieces++ > 0 ? strlen(sep) : 0, room = strlen(text);
    if (size + between + room >= sizeof made) return R_NilValue;
    memcpy(made + size, sep, between);
    memcpy(made + size + between, text, room);
    size += between + room;
  }
  return Rf_ScalarString(Rf_mkCharLenCE(made, (int) size, CE_NATIVE));
}
static inline SEXP ds_as_text(SEXP cells) {
  char number[16];
  const char *const text = ds_written(cells, number);
  return text == NULL || ds_is_missing_single(CAR(cells)) ? R_NilValue : Rf_mkString(text);
}
/* A place from 1 that substr() is given; NA_INTEGER where it is none of these. */
static inline int ds_text_place(SEXP cell) {
  if (cell == R_NilValue) return NA_INTEGER;
  if (ds_is_single(cell, INTSXP)) return INTEGER(CAR(cell))[0];
  if (!ds_is_single(cell, REALSXP)) return NA_INTEGER;
  const double value = REAL(CAR(cell))[0];
  return value > -2147483648.0 && value < 2147483648.0 ? ds_cut(value) : NA_INTEGER;
}
static inline SEXP ds_part_of_text(SEXP cells) {
  if (!ds_is_single(cells, STRSXP) || STRING_ELT(CAR(cells), 0) == NA_STRING) return R_NilValue;
  const SEXP text = STRING_ELT(CAR(cells), 0);
  int first = ds_text_place(CDR(cells)), last = ds_text_place(CDDR(cells));
  if (first == NA_INTEGER || last == NA_INTEGER) return R_NilValue;
  first = first < 1 ? 1 : first;
  last = last > LENGTH(text) ? LENGTH(text) : last;
  if (last > 0 && !ds_is_ascii(R_CHAR(text), last)) return R_NilValue;
  return Rf_ScalarString(Rf_mkCharLenCE(R_CHAR(text) + (first <= last ? first - 1 : 0), first <= last ? last - first + 1 : 0, CE_NATIVE));
}
static inline SEXP ds_starts_with(SEXP cells) {
  if (!ds_is_single(cells, STRSXP) || !ds_is_single(CDR(cells), STRSXP)) return R_NilValue;
  const SEXP text = STRING_ELT(CAR(cells), 0), start = STRING_ELT(CADR(cells), 0);
  if (text == NA_STRING || start == NA_STRING) return R_NilValue;
  if (!ds_is_ascii(R_CHAR(text), LENGTH(text)) || !ds_is_ascii(R_CHAR(start), LENGTH(start))) return R_NilValue;
  return Rf_ScalarLogical(strncmp(R_CHAR(text), R_CHAR(start), LENGTH(start)) == 0);
}
#endif
