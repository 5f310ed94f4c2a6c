/* Planes of luma and chroma, and the RGBA or grey px of them: for what dav1d decodes, and for what libaom says that a
 * decoder will show.
 */
#include <stddef.h>
#include <stdint.h>
#include <stdlib.h>

#ifdef __wasm_simd128__
#include <wasm_simd128.h>
#endif

typedef struct {
  const uint8_t *data[3]; /* Y, U, V: bytes, or where bits is more than 8 little-endian 16-bit words */
  ptrdiff_t stride[3];    /* bytes from one row to the next */
  int w, h, bits;
  int half_x, half_y; /* chroma has half the columns, half the rows */
  int mono;           /* there is no chroma */
} planes;

enum { PLANES_MATRIX = 1, PLANES_MEMORY = 2 }; /* a matrix that is not known; no memory */

static inline int planes_sample(const void *row, int i, int wide) {
  return wide ? ((const uint16_t *)row)[i] : ((const uint8_t *)row)[i];
}

static inline uint8_t planes_clamp(int v) { return v < 0 ? 0 : v > 255 ? 255 : (uint8_t)v; }

static inline const void *planes_row(const planes *p, int plane, int j) { return p->data[plane] + j * p->stride[plane]; }

/* One row of chroma at the size of luma, times 16, without the offset. Halved sides are taken as lying between two luma
 * samples: weights 3/4, 1/4. tmp has room for one px more at either end of the row. */
static inline __attribute__((always_inline)) void planes_chroma(const planes *p, int plane, int j, int wide, int zero,
                                                                int *restrict tmp, int *restrict out) {
  int cw = (p->w + p->half_x) >> p->half_x, ch = (p->h + p->half_y) >> p->half_y;
  const void *a = planes_row(p, plane, p->half_y ? j >> 1 : j), *b = a;
  if (p->half_y) {
    int far = (j >> 1) + (j & 1 ? 1 : -1);
    if (far >= 0 && far < ch) b = planes_row(p, plane, far);
  }
  int i = 0;
#ifdef __wasm_simd128__
  if (!wide) {
    const v128_t off = wasm_i32x4_splat(4 * zero);
    for (; i + 8 <= cw; i += 8) {
      v128_t x = wasm_u16x8_load8x8((const uint8_t *)a + i), y = wasm_u16x8_load8x8((const uint8_t *)b + i);
      y = wasm_i16x8_add(y, wasm_i16x8_add(x, wasm_i16x8_add(x, x)));
      wasm_v128_store(tmp + i + 1, wasm_i32x4_sub(wasm_i32x4_extend_low_i16x8(y), off));
      wasm_v128_store(tmp + i + 5, wasm_i32x4_sub(wasm_i32x4_extend_high_i16x8(y), off));
    }
  }
#endif
  for (; i < cw; i++) tmp[i + 1] = 3 * planes_sample(a, i, wide) + planes_sample(b, i, wide) - 4 * zero;
  if (!p->half_x) {
    for (i = 0; i < p->w; i++) out[i] = 4 * tmp[i + 1];
    return;
  }
  tmp[0] = tmp[1];
  tmp[cw + 1] = tmp[cw];
  i = 0;
#ifdef __wasm_simd128__
  for (; i + 4 <= cw; i += 4) {
    v128_t t = wasm_v128_load(tmp + i + 1);
    t = wasm_i32x4_add(t, wasm_i32x4_add(t, t));
    v128_t even = wasm_i32x4_add(t, wasm_v128_load(tmp + i)), odd = wasm_i32x4_add(t, wasm_v128_load(tmp + i + 2));
    wasm_v128_store(out + 2 * i, wasm_i32x4_shuffle(even, odd, 0, 4, 1, 5));
    wasm_v128_store(out + 2 * i + 4, wasm_i32x4_shuffle(even, odd, 2, 6, 3, 7));
  }
#endif
  for (; i < cw; i++) { /* out has room for an even row */
    out[2 * i] = 3 * tmp[i + 1] + tmp[i];
    out[2 * i + 1] = 3 * tmp[i + 1] + tmp[i + 2];
  }
}

/* What turns samples into RGB: luma carries a factor 1, chroma 16; results are shifted down by 20 bits. */
typedef struct {
  int cy, yoff, zero, rv, gu, gv, bu;
} planes_factors;

static inline __attribute__((always_inline)) void planes_rows(const planes *p, const planes_factors *f, int matrix,
                                                              int wide, int *u, uint8_t *out, ptrdiff_t stride) {
  int w = p->w, cy = f->cy, yoff = f->yoff, rv = f->rv, gu = f->gu, gv = f->gv, bu = f->bu;
  int *v = u + w + 3, *tmp = v + w + 3;
  for (int j = 0; j < p->h; j++) {
    const void *y = planes_row(p, 0, j);
    uint8_t *o = out + j * stride;
    if (p->mono) {
      for (int i = 0; i < w; i++, o += 4) {
        o[0] = o[1] = o[2] = planes_clamp(((planes_sample(y, i, wide) - yoff) * cy + (1 << 19)) >> 20);
      }
    } else if (matrix == 0) {
      const void *b = planes_row(p, 1, j), *r = planes_row(p, 2, j);
      for (int i = 0; i < w; i++, o += 4) {
        o[0] = planes_clamp(((planes_sample(r, i, wide) - yoff) * cy + (1 << 19)) >> 20);
        o[1] = planes_clamp(((planes_sample(y, i, wide) - yoff) * cy + (1 << 19)) >> 20);
        o[2] = planes_clamp(((planes_sample(b, i, wide) - yoff) * cy + (1 << 19)) >> 20);
      }
    } else {
      planes_chroma(p, 1, j, wide, f->zero, tmp, u);
      planes_chroma(p, 2, j, wide, f->zero, tmp, v);
      int i = 0;
#ifdef __wasm_simd128__
      if (!wide) {
        for (; i + 4 <= w; i += 4, o += 16) {
          v128_t l = wasm_u32x4_extend_low_u16x8(
            wasm_u16x8_extend_low_u8x16(wasm_v128_load32_zero((const uint8_t *)y + i)));
          v128_t us = wasm_v128_load(u + i), vs = wasm_v128_load(v + i);
          l = wasm_i32x4_add(wasm_i32x4_mul(wasm_i32x4_sub(l, wasm_i32x4_splat(yoff)), wasm_i32x4_splat(cy)),
                             wasm_i32x4_const_splat(1 << 19));
          v128_t r = wasm_i32x4_shr(wasm_i32x4_add(l, wasm_i32x4_mul(vs, wasm_i32x4_splat(rv))), 20);
          v128_t g = wasm_i32x4_shr(wasm_i32x4_sub(wasm_i32x4_sub(l, wasm_i32x4_mul(us, wasm_i32x4_splat(gu))),
                                                   wasm_i32x4_mul(vs, wasm_i32x4_splat(gv))), 20);
          v128_t b = wasm_i32x4_shr(wasm_i32x4_add(l, wasm_i32x4_mul(us, wasm_i32x4_splat(bu))), 20);
          v128_t all = wasm_u8x16_narrow_i16x8(wasm_i16x8_narrow_i32x4(r, g), wasm_i16x8_narrow_i32x4(b, b));
          all = wasm_i8x16_shuffle(all, wasm_v128_load(o), 0, 4, 8, 19, 1, 5, 9, 23, 2, 6, 10, 27, 3, 7, 11, 31);
          wasm_v128_store(o, all);
        }
      }
#endif
      for (; i < w; i++, o += 4) {
        int l = (planes_sample(y, i, wide) - yoff) * cy + (1 << 19);
        o[0] = planes_clamp((l + rv * v[i]) >> 20);
        o[1] = planes_clamp((l - gu * u[i] - gv * v[i]) >> 20);
        o[2] = planes_clamp((l + bu * u[i]) >> 20);
      }
    }
  }
}

/* planes_rgb writes R, G and B, 8 bits each, of every 4 bytes of out, stride bytes from row to row: the fourth is left as
 * it is. 10 and 12 bits are rounded to 8. Chroma is upsampled bilinearly. No conversion of primaries or transfer.
 * Returns 0, or what is wrong.
 *   matrix      CICP matrix coefficients: 0 identity (GBR, 4:4:4 only), 1 BT.709, 4 FCC, 5 or 6 BT.601,
 *               7 SMPTE 240, 9 BT.2020; 2 (unspecified) is taken as BT.601
 *   full_range  1 full, 0 limited */
static int planes_rgb(const planes *p, int matrix, int full_range, uint8_t *out, ptrdiff_t stride) {
  double kr = 0.299, kb = 0.114, scale = 1 << 20;
  switch (matrix) {
    case 0: if (!p->mono && (p->half_x || p->half_y)) return PLANES_MATRIX; break;
    case 1: kr = 0.2126; kb = 0.0722; break;
    case 4: kr = 0.30; kb = 0.11; break;
    case 2: case 5: case 6: break;
    case 7: kr = 0.212; kb = 0.087; break;
    case 9: kr = 0.2627; kb = 0.0593; break;
    default: return PLANES_MATRIX;
  }
  double kg = 1 - kr - kb;
  double ymax = full_range ? (1 << p->bits) - 1 : 219 << (p->bits - 8);
  double cmax = full_range || matrix == 0 ? (1 << p->bits) - 1 : 224 << (p->bits - 8);
  planes_factors f = {
    .cy = (int)(255 * scale / ymax + 0.5),
    .yoff = full_range ? 0 : 16 << (p->bits - 8),
    .zero = 1 << (p->bits - 1),
    .rv = (int)(255 * scale / 16 / cmax * 2 * (1 - kr) + 0.5),
    .gu = (int)(255 * scale / 16 / cmax * 2 * (1 - kb) * kb / kg + 0.5),
    .gv = (int)(255 * scale / 16 / cmax * 2 * (1 - kr) * kr / kg + 0.5),
    .bu = (int)(255 * scale / 16 / cmax * 2 * (1 - kb) + 0.5),
  };
  int *rows = malloc(((size_t)p->w + 3) * 3 * sizeof *rows);
  if (!rows) return PLANES_MEMORY;
  if (p->bits > 8)
    planes_rows(p, &f, matrix, 1, rows, out, stride);
  else
    planes_rows(p, &f, matrix, 0, rows, out, stride);
  free(rows);
  return 0;
}

/* planes_gray writes luma, scaled to 0..255, every step bytes of out, stride bytes from row to row: what an alpha item
 * holds. full_range as for planes_rgb. */
static void planes_gray(const planes *p, int full_range, uint8_t *out, ptrdiff_t stride, int step) {
  int yoff = full_range ? 0 : 16 << (p->bits - 8);
  int cy = (int)(255.0 * (1 << 20) / (full_range ? (1 << p->bits) - 1 : 219 << (p->bits - 8)) + 0.5);
  for (int j = 0; j < p->h; j++) {
    const void *y = planes_row(p, 0, j);
    for (int i = 0; i < p->w; i++)
      out[j * stride + (ptrdiff_t)i * step] =
        planes_clamp(((planes_sample(y, i, p->bits > 8) - yoff) * cy + (1 << 19)) >> 20);
  }
}
