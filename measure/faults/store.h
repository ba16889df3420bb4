/* The share of the rain that counts. */
#define SHARE 0.1125
#define BASE 9
