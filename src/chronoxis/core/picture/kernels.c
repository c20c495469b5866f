/* The loops over pixels that frames are made with; `kernels.py` and its like describe and call them.
 *
 * Each function works on the rows y0 to y1 of pictures of one width and leaves the interpreter's lock
 * alone, so that rows can be shared out among threads. Pieces of rows are worked on at a time, few enough
 * to stay in the processor's nearest cache; the inner loops have no branches and turn into vector code.
 */

#define Py_LIMITED_API 0x030B0000 /* as of Python 3.11: built once, it serves later ones as well */
#define PY_SSIZE_T_CLEAN
#include <Python.h>
#include <math.h>
#include <stddef.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

/* Which version runs is chosen when the library is loaded, where the C library can do so (ifunc). */
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && defined(__GLIBC__) && !defined(__SANITIZE_ADDRESS__)
#define KERNEL __attribute__((target_clones("arch=x86-64-v4", "arch=x86-64-v3", "default")))
#define HAS_LEVELS
#else
#define KERNEL
#endif
#define INLINE static inline __attribute__((always_inline))

enum { PIECE = 512, MOST_FRAMES = 63 };
enum { YUV8, YUV16, RGB24, RGB48 };

/* A decoded frame: planes of Y'CbCr, or R'G'B' in one plane. */
typedef struct {
    const void *planes[3];
    ptrdiff_t strides[3]; /* bytes */
    int32_t kind;
    int32_t across, down; /* how many times chroma is halved */
    float matrix[12];     /* from codes to R'G'B' of 0 to 1 */
    float weight;
} Frame;

/* From R'G'B' of 0 to 1 to light and back: a line up to `toe`, which is as bright as `dark`, polynomials above;
 * or tables of 65536, of which the one back is for fourth roots of light. */
typedef struct {
    float toe, slope, dark;
    float polynomial[7], inverse[7];
    float short_polynomial[6]; /* of light, for whole numbers, which are no more exact */
    const float *table;
    const uint16_t *encoded;
} Curve;

INLINE float clamped(float x) { return x < 0.0f ? 0.0f : (x > 1.0f ? 1.0f : x); }

#define CHROMA_ROW(TYPE)                                                                                     \
    do {                                                                                                     \
        const TYPE *restrict cb = (const TYPE *)((const char *)frame->planes[1] + (y >> frame->down) * frame->strides[1]);   \
        const TYPE *restrict cr = (const TYPE *)((const char *)frame->planes[2] + (y >> frame->down) * frame->strides[2]);   \
        const TYPE *restrict luma = (const TYPE *)((const char *)frame->planes[0] + y * frame->strides[0]) + x0;      \
        if (frame->across == 1) {                                                                            \
            float half[3][PIECE / 2 + 1];                                                                    \
            const int halves = (n + 1) / 2, first = x0 / 2;                                                  \
            for (int i = 0; i < halves; i++) {                                                               \
                const float u = cb[first + i], v = cr[first + i];                                            \
                half[0][i] = m[1] * u + m[2] * v + m[3];                                                     \
                half[1][i] = m[5] * u + m[6] * v + m[7];                                                     \
                half[2][i] = m[9] * u + m[10] * v + m[11];                                                   \
            }                                                                                                \
            for (int i = 0; i < halves; i++) {                                                               \
                r[2 * i] = r[2 * i + 1] = half[0][i];                                                        \
                g[2 * i] = g[2 * i + 1] = half[1][i];                                                        \
                b[2 * i] = b[2 * i + 1] = half[2][i];                                                        \
            }                                                                                                \
        } else {                                                                                             \
            for (int i = 0; i < n; i++) {                                                                    \
                const int at = (x0 + i) >> frame->across;                                                    \
                const float u = cb[at], v = cr[at];                                                          \
                r[i] = m[1] * u + m[2] * v + m[3];                                                           \
                g[i] = m[5] * u + m[6] * v + m[7];                                                           \
                b[i] = m[9] * u + m[10] * v + m[11];                                                         \
            }                                                                                                \
        }                                                                                                    \
        for (int i = 0; i < n; i++) {                                                                        \
            const float l = luma[i];                                                                         \
            r[i] = clamped(r[i] + m[0] * l);                                                                 \
            g[i] = clamped(g[i] + m[4] * l);                                                                 \
            b[i] = clamped(b[i] + m[8] * l);                                                                 \
        }                                                                                                    \
    } while (0)

#define RGB_ROW(TYPE, WHITE)                                                                                 \
    do {                                                                                                     \
        const TYPE *restrict row = (const TYPE *)((const char *)frame->planes[0] + y * frame->strides[0]) + 3 * x0;   \
        for (int i = 0; i < n; i++) {                                                                        \
            r[i] = row[3 * i] * (1.0f / WHITE);                                                              \
            g[i] = row[3 * i + 1] * (1.0f / WHITE);                                                          \
            b[i] = row[3 * i + 2] * (1.0f / WHITE);                                                          \
        }                                                                                                    \
    } while (0)

/* R'G'B' of 0 to 1 of n pixels of a row; x0 is even, the arrays have room for one more than n. */
INLINE void codes_of(const Frame *frame, int y, int x0, int n, float *restrict r, float *restrict g,
                     float *restrict b)
{
    const float *m = frame->matrix;
    switch (frame->kind) {
    case YUV8: CHROMA_ROW(uint8_t); break;
    case YUV16: CHROMA_ROW(uint16_t); break;
    case RGB24: RGB_ROW(uint8_t, 255.0f); break;
    default: RGB_ROW(uint16_t, 65535.0f);
    }
}

/* Light of n codes, in place. */
INLINE void light_of(const Curve *curve, float *restrict codes, int n)
{
    if (curve->table) {
        for (int i = 0; i < n; i++) codes[i] = curve->table[(int)(codes[i] * 65535.0f + 0.5f)];
        return;
    }
    const float toe = curve->toe, slope = curve->slope, *p = curve->polynomial;
    for (int i = 0; i < n; i++) {
        const float x = codes[i];
        const float above =
            ((((((p[6] * x + p[5]) * x + p[4]) * x + p[3]) * x + p[2]) * x + p[1]) * x + p[0]);
        codes[i] = x < toe ? slope * x : above;
    }
}

/* Codes of n of light, in place: the inverse of `light_of`, by a polynomial of the square root. */
INLINE void codes_for(const Curve *curve, float *restrict light, int n)
{
    if (curve->encoded) {
        for (int i = 0; i < n; i++) {
            const int step = (int)(sqrtf(sqrtf(light[i])) * 65535.0f + 0.5f); /* the finer the darker */
            light[i] = curve->encoded[step] * (1.0f / 65535.0f);
        }
        return;
    }
    const float toe = curve->dark, slope = 1.0f / curve->slope, *p = curve->inverse;
    for (int i = 0; i < n; i++) {
        const float x = light[i], root = sqrtf(x);
        const float above =
            ((((((p[6] * root + p[5]) * root + p[4]) * root + p[3]) * root + p[2]) * root + p[1]) * root + p[0]);
        light[i] = x < toe ? slope * x : above;
    }
}

/* R'G'B' codes of n pixels of three rows of channels from 0 to 1. */
INLINE void store_codes(const float *restrict r, const float *restrict g, const float *restrict b, int n,
                        uint16_t *restrict to)
{
    for (int i = 0; i < n; i++) {
        to[3 * i] = (uint16_t)(int)(r[i] * 65535.0f + 0.5f);
        to[3 * i + 1] = (uint16_t)(int)(g[i] * 65535.0f + 0.5f);
        to[3 * i + 2] = (uint16_t)(int)(b[i] * 65535.0f + 0.5f);
    }
}

#define EACH_PIECE                                                                                           \
    for (int y = y0; y < y1; y++)                                                                            \
        for (int x = 0, n; x < width && (n = width - x < PIECE ? width - x : PIECE, 1); x += PIECE)

/* In whole numbers of 16 bits, of which the processor has twice as many at a time as of floats: for frames of 8 bits.
 * Codes are parts of UNIT, which leaves room for those above white (up to 2.16) and below black; light is parts of
 * WHITE, which leaves room for what the polynomial comes by. Codes are right to a thirtieth of one of eight bits; light
 * to a fifth at worst, where sRGB is steepest. */
enum { UNIT = 15168, WHITE = 26000 };

/* The product of two shares of 32768, rounded. */
INLINE int16_t share_of(int16_t a, int16_t b) { return (int16_t)(((((int32_t)a * b) >> 14) + 1) >> 1); }

INLINE int16_t whole(float x) { return (int16_t)lrintf(x); }

/* Whether a frame's codes can be had so; its light can where the curve is no table. */
INLINE int is_whole(const Frame *frame)
{
    const float *const m = frame->matrix;
    return frame->kind == YUV8 && frame->across == 1 && m[0] == m[4] && m[0] == m[8];
}

/* Codes of n pixels of a row, as parts of UNIT. */
INLINE void whole_codes_of(const Frame *frame, int y, int x0, int n, int16_t (*restrict c)[PIECE + 1])
{
    const float *const m = frame->matrix;
    const uint8_t *restrict luma = (const uint8_t *)frame->planes[0] + y * frame->strides[0] + x0;
    const uint8_t *restrict cb = (const uint8_t *)frame->planes[1] + (y >> frame->down) * frame->strides[1] + x0 / 2;
    const uint8_t *restrict cr = (const uint8_t *)frame->planes[2] + (y >> frame->down) * frame->strides[2] + x0 / 2;
    const int halves = (n + 1) / 2;
    int16_t half[PIECE / 2 + 1];
    for (int k = 0; k < 3; k++) {
        const float *const w = m + 4 * k;
        const int16_t of_cb = whole(w[1] * UNIT * 128), of_cr = whole(w[2] * UNIT * 128);
        const int16_t offset = whole((w[3] + 128.0f * (w[1] + w[2])) * UNIT);
        for (int i = 0; i < halves; i++)
            half[i] = share_of((int16_t)((cb[i] - 128) * 256), of_cb) +
                      share_of((int16_t)((cr[i] - 128) * 256), of_cr) + offset;
        int16_t *restrict to = c[k];
        for (int i = 0; i < halves; i++) to[2 * i] = to[2 * i + 1] = half[i];
    }
    const int16_t of_luma = whole(m[0] * UNIT * 256);
    int16_t *restrict r = c[0], *restrict g = c[1], *restrict b = c[2];
    for (int i = 0; i < n; i++) {
        const int16_t l = share_of((int16_t)(luma[i] * 128), of_luma);
        r[i] += l;
        g[i] += l;
        b[i] += l;
    }
}

INLINE int16_t whole_clamped(int16_t x) { return x < 0 ? 0 : (x > UNIT ? UNIT : x); }

/* Light of n codes, in place: parts of UNIT become parts of WHITE. */
INLINE void whole_light_of(const Curve *curve, int16_t *restrict codes, int n)
{
    const float stretch = 32768.0f / (2 * UNIT); /* what a share of 32768 lacks to be a code */
    int16_t p[6];
    float power = WHITE;
    for (int d = 0; d < 6; d++) {
        p[d] = whole(curve->short_polynomial[d] * power);
        power *= stretch;
    }
    const int16_t toe = whole(curve->toe * 2 * UNIT), slope = whole(curve->slope * WHITE * stretch);
    for (int i = 0; i < n; i++) {
        const int16_t x = (int16_t)(2 * whole_clamped(codes[i]));
        int16_t above = p[5];
        for (int d = 4; d >= 0; d--) above = share_of(above, x) + p[d];
        codes[i] = x < toe ? share_of(x, slope) : above;
    }
}

/* What frames are gathered into: three planes of `size` floats, or R'G'B' codes of what there is then. */
typedef struct {
    const float *before; /* planes that were gathered earlier; NULL if there are none */
    float *planes;       /* that come out; NULL for codes */
    uint16_t *codes;
    ptrdiff_t size;
    float scale;         /* of what is gathered, for codes to end at 1 */
    const float *more;   /* light of four floats a pixel, which is not scaled; or NULL */
} Gathered;

INLINE void begin_with(const Gathered *into, ptrdiff_t at, int n, float first, float (*restrict all)[PIECE])
{
    for (int k = 0; k < 3; k++)
        if (into->before)
            memcpy(all[k], into->before + k * into->size + at, n * sizeof(float));
        else
            for (int i = 0; i < n; i++) all[k][i] = first;
}

INLINE void end_with(const Gathered *into, ptrdiff_t at, int n, const Curve *curve, float (*restrict all)[PIECE])
{
    if (into->planes) {
        for (int k = 0; k < 3; k++) memcpy(into->planes + k * into->size + at, all[k], n * sizeof(float));
        return;
    }
    for (int k = 0; k < 3; k++) {
        float *restrict row = all[k];
        for (int i = 0; i < n; i++) row[i] *= into->scale;
        if (into->more) {
            const float *restrict extra = into->more + 4 * at + k;
            for (int i = 0; i < n; i++) row[i] += extra[4 * i];
        }
        for (int i = 0; i < n; i++) row[i] = clamped(row[i]);
        if (curve) codes_for(curve, row, n);
    }
    store_codes(all[0], all[1], all[2], n, into->codes + 3 * at);
}

/* The sum of the weighted light of frames. */
KERNEL void chronoxis_add_light(const Frame *frames, int count, const Curve *curve, int width, int y0, int y1,
                                const Gathered *into)
{
    float all[3][PIECE], c[3][PIECE + 1];
    int16_t quick[3][PIECE + 1];
    EACH_PIECE {
        const ptrdiff_t at = (ptrdiff_t)y * width + x;
        begin_with(into, at, n, 0.0f, all);
        for (int f = 0; f < count; f++) {
            const float weight = frames[f].weight;
            if (is_whole(&frames[f]) && !curve->table) {
                whole_codes_of(&frames[f], y, x, n, quick);
                for (int k = 0; k < 3; k++) {
                    whole_light_of(curve, quick[k], n);
                    for (int i = 0; i < n; i++) all[k][i] += weight * (1.0f / WHITE) * quick[k][i];
                }
                continue;
            }
            codes_of(&frames[f], y, x, n, c[0], c[1], c[2]);
            for (int k = 0; k < 3; k++) {
                light_of(curve, c[k], n);
                for (int i = 0; i < n; i++) all[k][i] += weight * c[k][i];
            }
        }
        end_with(into, at, n, curve, all);
    }
}

/* Keeps the larger of n numbers, or the smaller. */
#define KEEP(TO, FROM)                                                                                       \
    do {                                                                                                     \
        if (brightest)                                                                                       \
            for (int i = 0; i < n; i++) (TO)[i] = (TO)[i] > (FROM)[i] ? (TO)[i] : (FROM)[i];                 \
        else                                                                                                 \
            for (int i = 0; i < n; i++) (TO)[i] = (TO)[i] < (FROM)[i] ? (TO)[i] : (FROM)[i];                 \
    } while (0)

/* The brightest codes of frames, or the darkest. */
KERNEL void chronoxis_keep_extreme(const Frame *frames, int count, int brightest, int width, int y0, int y1,
                                   const Gathered *into)
{
    float all[3][PIECE], c[3][PIECE + 1];
    int16_t quick[3][PIECE + 1], kept[3][PIECE];
    EACH_PIECE {
        const ptrdiff_t at = (ptrdiff_t)y * width + x;
        begin_with(into, at, n, brightest ? 0.0f : 1.0f, all);
        for (int k = 0; k < 3; k++)
            for (int i = 0; i < n; i++) kept[k][i] = brightest ? 0 : UNIT;
        for (int f = 0; f < count; f++) {
            if (is_whole(&frames[f])) {
                whole_codes_of(&frames[f], y, x, n, quick);
                for (int k = 0; k < 3; k++) {
                    int16_t *restrict to = kept[k];
                    KEEP(to, quick[k]);
                }
                continue;
            }
            codes_of(&frames[f], y, x, n, c[0], c[1], c[2]);
            for (int k = 0; k < 3; k++) {
                float *restrict to = all[k];
                KEEP(to, c[k]);
            }
        }
        for (int k = 0; k < 3; k++) {
            float *restrict to = all[k];
            for (int i = 0; i < n; i++) c[k][i] = whole_clamped(kept[k][i]) * (1.0f / UNIT);
            KEEP(to, c[k]);
        }
        end_with(into, at, n, NULL, all);
    }
}

/* Sorts `count` rows of 16-bit codes pixel by pixel as far as the middle needs: Batcher's odd-even merge
 * (Knuth, The Art of Computer Programming 3, 5.2.2, algorithm M). */
INLINE void sort_rows(uint16_t (*restrict rows)[PIECE], int count, int n)
{
    int t = 1;
    while ((1 << t) < count) t++;
    for (int p = 1 << (t - 1); p > 0; p >>= 1) {
        int q = 1 << (t - 1), r = 0, d = p;
        for (;;) {
            for (int i = 0; i + d < count; i++) {
                if ((i & p) != r) continue;
                uint16_t *restrict low = rows[i], *restrict high = rows[i + d];
                for (int j = 0; j < n; j++) {
                    const uint16_t a = low[j], b = high[j];
                    low[j] = a < b ? a : b;
                    high[j] = a < b ? b : a;
                }
            }
            if (q == p) break;
            d = q - p;
            q >>= 1;
            r = p;
        }
    }
}

/* The median of frames, channel by channel, as R'G'B' codes; of an even number, the mean of the middle two. */
KERNEL void chronoxis_median(const Frame *frames, int count, int width, int y0, int y1, uint16_t *out)
{
    float c[3][PIECE + 1];
    uint16_t rows[3][MOST_FRAMES][PIECE];
    EACH_PIECE {
        for (int f = 0; f < count; f++) {
            codes_of(&frames[f], y, x, n, c[0], c[1], c[2]);
            for (int k = 0; k < 3; k++)
                for (int i = 0; i < n; i++) rows[k][f][i] = (uint16_t)(int)(c[k][i] * 65535.0f + 0.5f);
        }
        uint16_t *to = out + 3 * ((ptrdiff_t)y * width + x);
        for (int k = 0; k < 3; k++) {
            sort_rows(rows[k], count, n);
            const uint16_t *low = rows[k][(count - 1) / 2], *high = rows[k][count / 2];
            for (int i = 0; i < n; i++) to[3 * i + k] = (uint16_t)(((uint32_t)low[i] + high[i] + 1) >> 1);
        }
    }
}

/* Light times a gain for each channel, and perhaps one for each row, as R'G'B' codes. */
KERNEL void chronoxis_gain(const Frame *frame, const Curve *curve, const float *gains, const float *by_row,
                           int width, int y0, int y1, uint16_t *out)
{
    float c[3][PIECE + 1];
    EACH_PIECE {
        codes_of(frame, y, x, n, c[0], c[1], c[2]);
        for (int k = 0; k < 3; k++) {
            const float gain = by_row ? gains[k] * by_row[y] : gains[k];
            light_of(curve, c[k], n);
            for (int i = 0; i < n; i++) c[k][i] = clamped(c[k][i] * gain);
            codes_for(curve, c[k], n);
        }
        store_codes(c[0], c[1], c[2], n, out + 3 * ((ptrdiff_t)y * width + x));
    }
}

/* Light that was multiplied by `most`, from 0 to 1 again: as it is up to the knee, and softly bent above it. */
typedef struct {
    float most, knee;
} Shoulder;

INLINE float bent(const Shoulder *shoulder, float light)
{
    const float knee = shoulder->knee, room = 1.0f - knee, whole = (shoulder->most - knee) / room;
    const float above = (light - knee) / room, even = 1.0f / (whole * whole);
    const float reached = above * (even + (1.0f - even) / (1.0f + above));
    return light > knee ? knee + room * reached : light;
}

/* Light times `shoulder->most`, as R'G'B' codes. What that brings above the knee goes along its own hue to white: its
 * luminance and its strongest channel are bent, and the others keep their places between them. */
KERNEL void chronoxis_flash(const Frame *frame, const Curve *curve, const Shoulder *shoulder, const float *luma,
                            int width, int y0, int y1, uint16_t *out)
{
    float c[3][PIECE + 1];
    EACH_PIECE {
        codes_of(frame, y, x, n, c[0], c[1], c[2]);
        for (int k = 0; k < 3; k++) light_of(curve, c[k], n);
        for (int i = 0; i < n; i++) {
            const float r = c[0][i] * shoulder->most, g = c[1][i] * shoulder->most, b = c[2][i] * shoulder->most;
            const float most = r > g ? (r > b ? r : b) : (g > b ? g : b);
            const float luminance = luma[0] * r + luma[1] * g + luma[2] * b, apart = most - luminance;
            const float level = bent(shoulder, luminance);
            const float share = (bent(shoulder, most) - level) / (apart > 1e-6f ? apart : 1e-6f);
            c[0][i] = clamped(level + share * (r - luminance));
            c[1][i] = clamped(level + share * (g - luminance));
            c[2][i] = clamped(level + share * (b - luminance));
        }
        for (int k = 0; k < 3; k++) codes_for(curve, c[k], n);
        store_codes(c[0], c[1], c[2], n, out + 3 * ((ptrdiff_t)y * width + x));
    }
}

/* Samples of the rows `one` and `other` of a plane, a quarter of the way from one to the other; count of them from
 * `first` on, of which at most one at either end is beyond the columns and goes on as its neighbour. */
#define BETWEEN_ROWS(TYPE)                                                                                   \
    do {                                                                                                     \
        const TYPE *restrict a = (const TYPE *)one + first, *restrict b = (const TYPE *)other + first;       \
        for (int i = low; i < high; i++) {                                                                   \
            const float near = a[i], far = b[i];                                                             \
            to[i] = near + 0.25f * (far - near);                                                             \
        }                                                                                                    \
    } while (0)

INLINE void between_rows(const void *one, const void *other, int is_wide, int first, int count, int columns,
                         float *restrict to)
{
    const int low = first < 0 ? 1 : 0, high = first + count > columns ? columns - first : count;
    if (is_wide)
        BETWEEN_ROWS(uint16_t);
    else
        BETWEEN_ROWS(uint8_t);
    if (low) to[0] = to[1];
    for (int i = high; i < count; i++) to[i] = to[high - 1];
}

/* Adds luma to what chroma makes of R'G'B'. */
#define WITH_LUMA(TYPE)                                                                                      \
    do {                                                                                                     \
        const TYPE *restrict luma = (const TYPE *)line + x0;                                                 \
        for (int i = 0; i < n; i++) {                                                                        \
            const float l = luma[i];                                                                         \
            r[i] = clamped(r[i] + m[0] * l);                                                                 \
            g[i] = clamped(g[i] + m[4] * l);                                                                 \
            b[i] = clamped(b[i] + m[8] * l);                                                                 \
        }                                                                                                    \
    } while (0)

/* As `codes_of`, with chroma in between samples, for what moves by parts of them. */
INLINE void smooth_codes_of(const Frame *frame, int y, int x0, int n, int width, int height, float *restrict r,
                            float *restrict g, float *restrict b)
{
    if (frame->kind > YUV16 || frame->across != 1 || frame->down > 1) {
        codes_of(frame, y, x0, n, r, g, b);
        return;
    }
    const float *m = frame->matrix;
    const int columns = (width + 1) / 2, rows = frame->down ? (height + 1) / 2 : height;
    const int near = frame->down ? y / 2 : y, is_wide = frame->kind == YUV16;
    int far = frame->down ? (y & 1 ? near + 1 : near - 1) : near;
    far = far < 0 ? 0 : (far < rows ? far : rows - 1);
    float chroma[2][PIECE / 2 + 2], mixed[PIECE / 2 + 2];
    const int first = x0 / 2 - 1, halves = (n + 1) / 2, count = halves + 2;
    for (int k = 0; k < 2; k++) {
        const char *const plane = (const char *)frame->planes[k + 1];
        between_rows(plane + near * frame->strides[k + 1], plane + far * frame->strides[k + 1], is_wide, first, count,
                     columns, chroma[k]);
    }
    float *const channels[3] = {r, g, b};
    for (int k = 0; k < 3; k++) {
        const float *const w = m + 4 * k;
        float *restrict to = channels[k];
        for (int i = 0; i < count; i++) mixed[i] = w[1] * chroma[0][i] + w[2] * chroma[1][i] + w[3];
        for (int i = 0; i < halves; i++) {
            to[2 * i] = 0.75f * mixed[i + 1] + 0.25f * mixed[i];
            to[2 * i + 1] = 0.75f * mixed[i + 1] + 0.25f * mixed[i + 2];
        }
    }
    const char *const line = (const char *)frame->planes[0] + y * frame->strides[0];
    if (is_wide)
        WITH_LUMA(uint16_t);
    else
        WITH_LUMA(uint8_t);
}

/* The four floats of a pixel at once. */
typedef float Four __attribute__((vector_size(16)));
typedef int FourInts __attribute__((vector_size(16)));
#if defined(__clang__)
#define SHUFFLE(a, b, ...) __builtin_shufflevector(a, b, __VA_ARGS__)
#else
#define SHUFFLE(a, b, ...) __builtin_shuffle(a, b, (FourInts){__VA_ARGS__})
#endif

INLINE Four four(const float *at)
{
    Four read;
    memcpy(&read, at, sizeof read);
    return read;
}

/* R'G'B' codes of the light of n pixels. */
INLINE void store_light(const Four *restrict light, int n, const Curve *curve, uint16_t *restrict to)
{
    float c[3][PIECE];
    for (int i = 0; i < n; i++)
        for (int k = 0; k < 3; k++) c[k][i] = clamped(light[i][k]);
    for (int k = 0; k < 3; k++) codes_for(curve, c[k], n);
    store_codes(c[0], c[1], c[2], n, to);
}

/* Writes n pixels of four floats: three channels, and 1. */
INLINE void interleave(float (*restrict c)[PIECE + 1], int n, float *restrict to)
{
    int i = 0;
    for (; i + 4 <= n; i += 4) {
        const Four a = four(c[0] + i), b = four(c[1] + i), d = four(c[2] + i), one = {1.0f, 1.0f, 1.0f, 1.0f};
        const Four low = SHUFFLE(a, b, 0, 4, 1, 5), high = SHUFFLE(a, b, 2, 6, 3, 7);
        const Four low_ = SHUFFLE(d, one, 0, 4, 1, 5), high_ = SHUFFLE(d, one, 2, 6, 3, 7);
        const Four pixels[4] = {
            SHUFFLE(low, low_, 0, 1, 4, 5), SHUFFLE(low, low_, 2, 3, 6, 7),
            SHUFFLE(high, high_, 0, 1, 4, 5), SHUFFLE(high, high_, 2, 3, 6, 7)};
        memcpy(to + 4 * i, pixels, sizeof pixels);
    }
    for (; i < n; i++) {
        for (int k = 0; k < 3; k++) to[4 * i + k] = c[k][i];
        to[4 * i + 3] = 1.0f;
    }
}

/* The light of a frame, four floats a pixel: what can be sampled anywhere at little cost. */
KERNEL void chronoxis_pixels(const Frame *frame, const Curve *curve, int width, int height, int y0, int y1,
                             float *out)
{
    float c[3][PIECE + 1];
    EACH_PIECE {
        smooth_codes_of(frame, y, x, n, width, height, c[0], c[1], c[2]);
        for (int k = 0; k < 3; k++) light_of(curve, c[k], n);
        interleave(c, n, out + 4 * ((ptrdiff_t)y * width + x));
    }
}

/* R'G'B' codes of a frame, chroma in between samples. */
KERNEL void chronoxis_codes(const Frame *frame, int width, int height, int y0, int y1, uint16_t *out)
{
    float c[3][PIECE + 1];
    EACH_PIECE {
        smooth_codes_of(frame, y, x, n, width, height, c[0], c[1], c[2]);
        store_codes(c[0], c[1], c[2], n, out + 3 * ((ptrdiff_t)y * width + x));
    }
}

/* Adds n numbers of a row to sums, codes to the first three and light to the others: as floats from 0 to 1. */
INLINE void look_at(const Frame *frame, const Curve *curve, int y, int x, int n, float (*restrict sums)[PIECE])
{
    float c[3][PIECE + 1];
    codes_of(frame, y, x, n, c[0], c[1], c[2]);
    for (int k = 0; k < 3; k++) {
        for (int i = 0; i < n; i++) sums[k][i] += c[k][i];
        light_of(curve, c[k], n);
        for (int i = 0; i < n; i++) sums[3 + k][i] += c[k][i];
    }
}

INLINE void look_quickly_at(const Frame *frame, const Curve *curve, int y, int x, int n,
                            int32_t (*restrict sums)[PIECE])
{
    int16_t c[3][PIECE + 1];
    whole_codes_of(frame, y, x, n, c);
    for (int k = 0; k < 3; k++) {
        for (int i = 0; i < n; i++) sums[k][i] += whole_clamped(c[k][i]);
        whole_light_of(curve, c[k], n);
        for (int i = 0; i < n; i++) sums[3 + k][i] += c[k][i];
    }
}

/* A small picture of means over blocks of a frame, of codes and of light, each of rows x columns x 3; of every
 * block so many lines are looked at. Here y0 and y1 are rows of the small picture. */
KERNEL void chronoxis_glance(const Frame *frame, const Curve *curve, int width, int height, int columns, int rows,
                             int lines, int y0, int y1, float *codes, float *light)
{
    float sums[6][PIECE];
    int32_t whole_sums[6][PIECE];
    const int quick = is_whole(frame) && !curve->table;
    float *const into[2] = {codes, light};
    for (int y = y0; y < y1; y++) {
        const int top = (int)((int64_t)y * height / rows), bottom = (int)((int64_t)(y + 1) * height / rows);
        const int high = bottom > top ? bottom - top : 1, looked = lines < high ? lines : high;
        for (int k = 0; k < 2; k++) memset(into[k] + (ptrdiff_t)3 * y * columns, 0, 3 * columns * sizeof(float));
        int column = 0, end = (width + columns - 1) / columns;
        for (int x = 0; x < width; x += PIECE) {
            const int n = width - x < PIECE ? width - x : PIECE;
            if (quick)
                memset(whole_sums, 0, sizeof whole_sums);
            else
                memset(sums, 0, sizeof sums);
            for (int line = 0; line < looked; line++) {
                int at = top + (2 * line + 1) * high / (2 * looked);
                at = at < height ? at : height - 1;
                if (quick)
                    look_quickly_at(frame, curve, at, x, n, whole_sums);
                else
                    look_at(frame, curve, at, x, n, sums);
            }
            for (int i = 0; i < n;) {
                while (x + i >= end) {
                    column++;
                    end = (int)(((int64_t)(column + 1) * width + columns - 1) / columns);
                }
                const int until = end - x < n ? end - x : n;
                for (int k = 0; k < 6; k++) {
                    float of = 0.0f;
                    int32_t whole_of = 0;
                    if (quick)
                        for (int j = i; j < until; j++) whole_of += whole_sums[k][j];
                    else
                        for (int j = i; j < until; j++) of += sums[k][j];
                    const float all = quick ? whole_of * (1.0f / (k < 3 ? UNIT : WHITE)) : of;
                    into[k / 3][3 * ((ptrdiff_t)y * columns + column) + k % 3] += all;
                }
                i = until;
            }
        }
        int begin = 0;
        for (column = 0; column < columns; column++) {
            end = (int)(((int64_t)(column + 1) * width + columns - 1) / columns);
            /* A picture narrower than the small one: what has no pixel of its own is as the one before. */
            const int own = end > begin, from = own ? column : (column ? column - 1 : 0);
            const float share = own ? 1.0f / ((end - begin) * looked) : 1.0f;
            for (int k = 0; k < 6; k++) {
                float *const row = into[k / 3] + (ptrdiff_t)3 * y * columns + k % 3;
                row[3 * column] = row[3 * from] * share;
            }
            begin = end;
        }
    }
}

INLINE Four all_of(float x) { return (Four){x, x, x, x}; }

/* Residual of two pictures along an optical flow of two floats a place; and, if the flow back is given, the
 * forward-backward error: how far from its beginning the way there and back ends. */
KERNEL void chronoxis_residual(const uint8_t *first, const uint8_t *second, const float *flow, const float *back,
                             int width, int height, float *residual, float *round_trip)
{
    for (int y = 0; y < height; y++)
        for (int x = 0; x < width; x++) {
            const ptrdiff_t here = (ptrdiff_t)y * width + x;
            float u = x + flow[2 * here], v = y + flow[2 * here + 1];
            u = u < 0.0f ? 0.0f : (u > width - 1 ? width - 1 : u);
            v = v < 0.0f ? 0.0f : (v > height - 1 ? height - 1 : v);
            const int i = (int)u, j = (int)v;
            const ptrdiff_t at = (ptrdiff_t)j * width + i, right = i + 1 < width, under = j + 1 < height ? width : 0;
            const float p = u - i, q = v - j;
            const float above = second[at] + p * (second[at + right] - second[at]);
            const float below = second[at + under] + p * (second[at + under + right] - second[at + under]);
            residual[here] = fabsf(first[here] - (above + q * (below - above)));
            if (!back) continue;
            float turned[2];
            for (int k = 0; k < 2; k++) {
                const float a = back[2 * at + k], b = back[2 * (at + right) + k];
                const float c = back[2 * (at + under) + k], d = back[2 * (at + under + right) + k];
                turned[k] = flow[2 * here + k] + (1 - q) * (a + p * (b - a)) + q * (c + p * (d - c));
            }
            round_trip[here] = sqrtf(turned[0] * turned[0] + turned[1] * turned[1]);
        }
}

/* Motion of four floats a place, with its confidence: as far as its residual is clearly less than the plain
 * difference of the two pictures, and as its forward-backward error is small. */
KERNEL void chronoxis_confidence(const float *flow, const float *plain, const float *residual,
                                 const float *round_trip, int count,
                           float noise, float allowed, float allowed_share, float *motion)
{
    for (int i = 0; i < count; i++) {
        const float right = flow[2 * i], down = flow[2 * i + 1];
        const float alike = clamped((0.75f * plain[i] + noise - residual[i]) / (0.25f * plain[i] + noise));
        const float far = sqrtf(right * right + down * down);
        motion[4 * i] = right;
        motion[4 * i + 1] = down;
        const float most = allowed + allowed_share * far;
        motion[4 * i + 2] = alike * clamped(2.0f - round_trip[i] / (most < 3.0f * allowed ? most : 3.0f * allowed));
        motion[4 * i + 3] = 0;
    }
}

/* Motion splatted to a share of its way: each place goes there with its motion. Where several come, that stands
 * which goes farthest, for it is mostly what is in front; where none comes, something is uncovered, and the
 * confidence is -1. */
KERNEL void chronoxis_splat(const float *motion, int width, int height, float share, float *out)
{
    const ptrdiff_t count = (ptrdiff_t)width * height;
    for (ptrdiff_t i = 0; i < count; i++) {
        out[4 * i] = out[4 * i + 1] = out[4 * i + 3] = 0;
        out[4 * i + 2] = -1;
    }
    for (int y = 0; y < height; y++)
        for (int x = 0; x < width; x++) {
            const float *own = motion + 4 * ((ptrdiff_t)y * width + x);
            const float u = x + share * own[0], v = y + share * own[1];
            if (u < 0 || v < 0 || u > width - 1 || v > height - 1) continue;
            /* What has no confidence stands behind all else. */
            const float rank = own[2] > 0.25f ? 1 + own[0] * own[0] + own[1] * own[1] : own[2];
            const int left = (int)u, top = (int)v;
            const int right = u > left && left + 1 < width ? left + 1 : left;
            const int under = v > top && top + 1 < height ? top + 1 : top;
            for (int j = top; j <= under; j++)
                for (int i = left; i <= right; i++) {
                    float *to = out + 4 * ((ptrdiff_t)j * width + i);
                    if (to[2] >= 0 && to[3] >= rank) continue;
                    to[0] = own[0];
                    to[1] = own[1];
                    to[2] = own[2];
                    to[3] = rank;
                }
        }
}

/* Square parts of a grid of so many columns and rows, some of them marked. */
typedef struct {
    const uint8_t *marks;
    int32_t chosen, side, columns, rows;
} Tiles;

/* The blend map a share of the way from a picture to another: for each place of a grid, from where in both its
 * light comes, and with what weights.
 *
 * Motions are splatted to that share; each holds four floats a place: right, down, confidence (0 to 1; -1 where
 * nothing comes), rank. The map holds eight: the ways to both pictures (right, down each), and the weights of
 * what lies there and of what lies here in both. Without tiles, it is made of all places.
 */
KERNEL void chronoxis_blend_map(const float *onwards, const float *backwards, int width, float share, const Tiles *tiles,
                           int y0, int y1, float *blends)
{
    const int side = tiles ? tiles->side : 1, across = (width + side - 1) / side;
    for (int y = y0; y < y1; y++)
        for (int x = 0; x < width; x++) {
            if (tiles && tiles->marks[(y / side) * across + x / side] != tiles->chosen) continue;
            const float *one = onwards + 4 * ((ptrdiff_t)y * width + x);
            const float *other = backwards + 4 * ((ptrdiff_t)y * width + x);
            float of_one = one[2] > 0 ? one[2] : 0, of_other = other[2] > 0 ? other[2] : 0;
            /* What comes from one side in front of what comes from the other hides it. */
            if (of_one > 0.25f && of_other > 0.25f) {
                if (one[3] > 4 * other[3] + 4) of_other = 0;
                if (other[3] > 4 * one[3] + 4) of_one = 0;
            }
            const float a = (1 - share) * of_one, b = share * of_other, both = a + b;
            const float confidence = of_one > of_other ? of_one : of_other;
            float *to = blends + 8 * ((ptrdiff_t)y * width + x);
            to[0] = -share * one[0];
            to[1] = -share * one[1];
            to[2] = -(1 - share) * other[0];
            to[3] = -(1 - share) * other[1];
            to[4] = both > 0 ? confidence * a / both : 0;
            to[5] = both > 0 ? confidence * b / both : 0;
            to[6] = (1 - confidence) * (1 - share);
            to[7] = (1 - confidence) * share;
        }
}

/* A picture between two others of four floats a pixel, by a blend map on a coarser grid that lies over it. */
typedef struct {
    const float *first, *second;
    int32_t width, height;
    const float *blends;
    int32_t columns, rows; /* of the grid */
} Between;

/* The row of the grid that a line of the picture lies at: eight floats for each of its columns. */
INLINE void blends_at(const Between *b, int y, float *restrict line)
{
    float v = (y + 0.5f) * b->rows / b->height - 0.5f;
    v = v < 0.0f ? 0.0f : (v > b->rows - 1 ? b->rows - 1 : v);
    const int top = (int)v, under = top + 1 < b->rows ? top + 1 : top, count = 8 * b->columns;
    const float *restrict above = b->blends + (ptrdiff_t)top * count;
    const float *restrict below = b->blends + (ptrdiff_t)under * count;
    const float low = v - top;
    for (int i = 0; i < count; i++) line[i] = above[i] + low * (below[i] - above[i]);
}

/* The four pixels about places in a picture: where the first is, and their weights. */
typedef struct {
    int at[PIECE];
    float weights[4][PIECE];
} About;

/* About n places that lie `ways` (of which two numbers from `k` on count) from those of a line; edges go on. */
INLINE void about(const Between *b, const Four *restrict ways, int k, const Four *restrict shares, int x, int y, int n,
                  About *restrict found)
{
    const float wide = (float)b->width / b->columns, high = (float)b->height / b->rows;
    const float most_right = b->width - 1, most_below = b->height - 1;
    const int width = b->width, last = b->width > 1 ? b->width - 2 : 0, lowest = b->height > 1 ? b->height - 2 : 0;
    for (int i = 0; i < n; i++) {
        float u = x + i + wide * ways[i][2 * k], v = y + high * ways[i][2 * k + 1];
        u = u < 0.0f ? 0.0f : (u > most_right ? most_right : u);
        v = v < 0.0f ? 0.0f : (v > most_below ? most_below : v);
        int left = (int)u, top = (int)v;
        left = left > last ? last : left;
        top = top > lowest ? lowest : top;
        const float p = u - left, q = v - top, share = shares[i][k];
        found->at[i] = top * width + left;
        found->weights[0][i] = share * (1.0f - p) * (1.0f - q);
        found->weights[1][i] = share * p * (1.0f - q);
        found->weights[2][i] = share * (1.0f - p) * q;
        found->weights[3][i] = share * p * q;
    }
}

INLINE Four sum_about(const float *light, const About *found, int i, ptrdiff_t right, ptrdiff_t below)
{
    const float *const at = light + 4 * (ptrdiff_t)found->at[i];
    return all_of(found->weights[0][i]) * four(at) + all_of(found->weights[1][i]) * four(at + right) +
           all_of(found->weights[2][i]) * four(at + below) + all_of(found->weights[3][i]) * four(at + below + right);
}

/* Light of n places of a line, whose row of the grid is given. */
INLINE void light_between(const Between *b, const float *line, int x, int y, int n, Four *restrict light)
{
    const float narrow = (float)b->columns / b->width, most = b->columns - 1;
    const ptrdiff_t right = b->width > 1 ? 4 : 0, below = b->height > 1 ? 4 * (ptrdiff_t)b->width : 0;
    Four ways[PIECE], shares[PIECE];
    int at[PIECE];
    float far[PIECE];
    for (int i = 0; i < n; i++) {
        float u = (x + i + 0.5f) * narrow - 0.5f;
        u = u < 0.0f ? 0.0f : (u > most ? most : u);
        at[i] = (int)u;
        far[i] = u - at[i];
    }
    for (int i = 0; i < n; i++) {
        const float *const one = line + 8 * at[i], *const other = at[i] + 1 < b->columns ? one + 8 : one;
        const Four share = all_of(far[i]);
        ways[i] = four(one) + share * (four(other) - four(one));
        shares[i] = four(one + 4) + share * (four(other + 4) - four(one + 4));
    }
    About first, second;
    about(b, ways, 0, shares, x, y, n, &first);
    about(b, ways, 1, shares, x, y, n, &second);
    const float *restrict here = b->first + 4 * ((ptrdiff_t)y * b->width + x);
    const float *restrict there = b->second + 4 * ((ptrdiff_t)y * b->width + x);
    for (int i = 0; i < n; i++) {
        light[i] = sum_about(b->first, &first, i, right, below) + sum_about(b->second, &second, i, right, below);
        if (shares[i][2] + shares[i][3] > 1e-4f)
            light[i] += all_of(shares[i][2]) * four(here + 4 * i) + all_of(shares[i][3]) * four(there + 4 * i);
    }
}

/* The first pixel from x on of a line that lies in a marked tile, and into `end` the one behind the last that does. */
INLINE int next_marked(const Tiles *tiles, int width, int height, int x, int y, int *end)
{
    *end = width;
    const int across = (tiles->columns + tiles->side - 1) / tiles->side;
    const int row = (int)((y + 0.5f) * tiles->rows / height) / tiles->side;
    const uint8_t *const marks = tiles->marks + (ptrdiff_t)row * across;
    const float wide = (float)width * tiles->side / tiles->columns;
    int begin = -1;
    for (int t = (int)((x + 0.5f) / wide); t < across; t++) {
        const int at = (int)ceilf(t * wide - 0.5f);
        if (marks[t] == tiles->chosen) {
            if (begin < 0) begin = at > x ? at : x;
        } else if (begin >= 0 && at > begin) {
            *end = at < width ? at : width;
            return begin;
        } else
            begin = -1;
    }
    return begin < 0 || begin > width ? width : begin;
}

/* Adds its weighted light to sums, in marked tiles. */
KERNEL int chronoxis_add_between(const Between *b, const Tiles *tiles, float weight, int y0, int y1, float *sums)
{
    Four light[PIECE];
    float *const line = malloc(8 * (size_t)b->columns * sizeof(float));
    if (!line) return 1;
    for (int y = y0; y < y1; y++) {
        int begun = 0, end;
        for (int x = next_marked(tiles, b->width, b->height, 0, y, &end); x < b->width;
             x = next_marked(tiles, b->width, b->height, end, y, &end)) {
            if (!begun) blends_at(b, y, line);
            begun = 1;
            for (int n; x < end; x += n) {
                n = end - x < PIECE ? end - x : PIECE;
                light_between(b, line, x, y, n, light);
                float *restrict to = sums + 4 * ((ptrdiff_t)y * b->width + x);
                for (int i = 0; i < n; i++) {
                    const Four sum = four(to + 4 * i) + all_of(weight) * light[i];
                    memcpy(to + 4 * i, &sum, sizeof sum);
                }
            }
        }
    }
    free(line);
    return 0;
}

/* Its R'G'B' codes. */
KERNEL int chronoxis_between(const Between *b, const Curve *curve, int y0, int y1, uint16_t *out)
{
    Four light[PIECE];
    float *const line = malloc(8 * (size_t)b->columns * sizeof(float));
    if (!line) return 1;
    const int width = b->width;
    int before = -1;
    EACH_PIECE {
        if (y != before) blends_at(b, y, line);
        before = y;
        light_between(b, line, x, y, n, light);
        store_light(light, n, curve, out + 3 * ((ptrdiff_t)y * width + x));
    }
    free(line);
    return 0;
}

/* Adds the weighted light of two pictures as they are, four floats a pixel, in marked tiles. */
KERNEL void chronoxis_add_both(const float *first, const float *second, int width, int height, const Tiles *tiles,
                               float of_first, float of_second, int y0, int y1, float *sums)
{
    for (int y = y0; y < y1; y++) {
        int end;
        for (int x = next_marked(tiles, width, height, 0, y, &end); x < width;
             x = next_marked(tiles, width, height, end, y, &end))
            for (ptrdiff_t i = 4 * ((ptrdiff_t)y * width + x); i < 4 * ((ptrdiff_t)y * width + end); i++)
                sums[i] += of_first * first[i] + of_second * second[i];
    }
}

/* Adds noise to codes, most in mid tones: strength times the noise, times 4 c (1 - c). */
KERNEL void chronoxis_grain(const uint16_t *codes, const float *noise, float strength, int width, int y0, int y1,
                            uint16_t *out)
{
    for (int y = y0; y < y1; y++) {
        const uint16_t *restrict from = codes + 3 * (ptrdiff_t)y * width;
        const float *restrict grain = noise + (ptrdiff_t)y * width;
        uint16_t *restrict to = out + 3 * (ptrdiff_t)y * width;
        for (int i = 0; i < width; i++) {
            const float much = 4.0f * strength * grain[i];
            for (int k = 0; k < 3; k++) {
                const float c = from[3 * i + k] * (1.0f / 65535.0f);
                to[3 * i + k] = (uint16_t)(int)(clamped(c + much * c * (1.0f - c)) * 65535.0f + 0.5f);
            }
        }
    }
}

enum { LINES = 16 };

/* A picture along slanted lines: line j runs through the places (a, j - above + slope * a), a along and the
 * other across it. How far apart these are in memory is told by the steps, in pixels of four floats. */
typedef struct {
    const float *light;
    float *lines;
    int along, across, count, above;
    float slope;
    ptrdiff_t step_along, step_across;   /* of the picture */
    ptrdiff_t lines_along, lines_across; /* of the lines */
} Slant;

INLINE int kept_within(int at, int count) { return at < 0 ? 0 : (at >= count ? count - 1 : at); }

/* Means over `length` places along each line, by running sums; beyond the picture its edge goes on. */
KERNEL int chronoxis_streak(const Slant *s, float length, int j0, int j1)
{
    const float half = length * 0.5f;
    float(*sums)[LINES][4] = malloc((size_t)(s->along + 1) * sizeof *sums);
    if (!sums) return 1;
    for (int first = j0; first < j1; first += LINES) {
        const int n = j1 - first < LINES ? j1 - first : LINES;
        memset(sums[0], 0, sizeof *sums);
        for (int a = 0; a < s->along; a++) {
            const float across = s->slope * a - s->above;
            const int whole = (int)floorf(across);
            const float share = across - whole;
            const float *restrict at = s->light + a * s->step_along;
            for (int j = 0; j < n; j++) {
                const int near = kept_within(first + j + whole, s->across);
                const int far = kept_within(first + j + whole + 1, s->across);
                const float *restrict one = at + near * s->step_across, *restrict other = at + far * s->step_across;
                for (int k = 0; k < 4; k++)
                    sums[a + 1][j][k] = sums[a][j][k] + one[k] + share * (other[k] - one[k]);
            }
        }
        const int last = s->along;
        for (int a = 0; a < s->along; a++) {
            const float ends[2] = {a + 0.5f - half, a + 0.5f + half};
            float *restrict to = s->lines + a * s->lines_along + first * s->lines_across;
            for (int j = 0; j < n; j++) {
                float bound[2][4];
                for (int e = 0; e < 2; e++) {
                    const float t = ends[e];
                    const int cell = kept_within((int)floorf(t), last);
                    for (int k = 0; k < 4; k++)
                        bound[e][k] = sums[cell][j][k] + (t - cell) * (sums[cell + 1][j][k] - sums[cell][j][k]);
                }
                for (int k = 0; k < 4; k++) to[j * s->lines_across + k] = (bound[1][k] - bound[0][k]) / length;
            }
        }
    }
    free(sums);
    return 0;
}

/* The picture that slanted lines make, as R'G'B' codes; of rows y0 to y1. */
KERNEL void chronoxis_unslant(const Slant *s, const Curve *curve, int is_steep, int width, int y0, int y1,
                              uint16_t *out)
{
    float c[3][PIECE];
    EACH_PIECE {
        for (int i = 0; i < n; i++) {
            const int along = is_steep ? y : x + i, across = is_steep ? x + i : y;
            const float line = across + s->above - s->slope * along;
            const int near = kept_within((int)floorf(line), s->count), far = kept_within(near + 1, s->count);
            const float share = line - near;
            const float *restrict at = s->lines + along * s->lines_along;
            const float *restrict one = at + near * s->lines_across, *restrict other = at + far * s->lines_across;
            for (int k = 0; k < 3; k++) c[k][i] = clamped(one[k] + share * (other[k] - one[k]));
        }
        for (int k = 0; k < 3; k++) codes_for(curve, c[k], n);
        store_codes(c[0], c[1], c[2], n, out + 3 * ((ptrdiff_t)y * width + x));
    }
}

/* Weights of the four places around one for a cubic convolution with a slope of -0.75 (Keys 1981). */
INLINE void cubic(float t, float *restrict w)
{
    const float a = -0.75f, u = 1.0f - t;
    w[0] = a * t * u * u;
    w[1] = ((a + 2.0f) * t - (a + 3.0f)) * t * t + 1.0f;
    w[2] = ((a + 2.0f) * u - (a + 3.0f)) * u * u + 1.0f;
    w[3] = 1.0f - w[0] - w[1] - w[2];
}

INLINE Four spread(Four of, int lane)
{
    switch (lane) {
    case 0: return SHUFFLE(of, of, 0, 0, 0, 0);
    case 1: return SHUFFLE(of, of, 1, 1, 1, 1);
    case 2: return SHUFFLE(of, of, 2, 2, 2, 2);
    default: return SHUFFLE(of, of, 3, 3, 3, 3);
    }
}

/* From where n places of a row come: whole columns and rows, and how far behind them. Far outside nothing changes any
 * more: so numbers stay small enough to be cut off. */
INLINE void places_of(const double *inverse, int x, int n, int width, int height, int *restrict columns,
                      int *restrict rows, float *restrict across, float *restrict down)
{
    const float u0 = inverse[0] + inverse[1] * x, du = inverse[1], v0 = inverse[2] + inverse[3] * x, dv = inverse[3];
    const float w0 = inverse[4] + inverse[5] * x, dw = inverse[5];
    const float most_right = width + 9.0f, most_below = height + 9.0f;
    for (int i = 0; i < n; i++) {
        const float by = 1.0f / (w0 + dw * i), u = (u0 + du * i) * by, v = (v0 + dv * i) * by;
        const float right = u < -9.0f ? -9.0f : (u > most_right ? most_right : u);
        const float below = v < -9.0f ? -9.0f : (v > most_below ? most_below : v);
        columns[i] = (int)(right + 16.0f) - 16;
        rows[i] = (int)(below + 16.0f) - 16;
        across[i] = right - columns[i];
        down[i] = below - rows[i];
    }
}

/* Light around n places, each the weighted sum of the sixteen around it; edges go on. */
INLINE void narrow_sums(const float *light, int width, int height, const double *inverse, int x, int n,
                        Four *restrict sums)
{
    float across[PIECE][4], down[PIECE][4];
    int columns[PIECE], rows[PIECE];
    const ptrdiff_t line = 4 * (ptrdiff_t)width;
    float shares[2][PIECE];
    places_of(inverse, x, n, width, height, columns, rows, shares[0], shares[1]);
    for (int i = 0; i < n; i++) cubic(shares[0][i], across[i]);
    for (int i = 0; i < n; i++) cubic(shares[1][i], down[i]);
    for (int i = 0; i < n; i++) {
        const int column = columns[i], row = rows[i];
        const Four w = four(across[i]), z = four(down[i]);
        Four sum = {0};
        if (column >= 1 && column + 2 < width && row >= 1 && row + 2 < height) {
            const float *at = light + (row - 1) * line + 4 * (column - 1);
            const Four w0 = spread(w, 0), w1 = spread(w, 1), w2 = spread(w, 2), w3 = spread(w, 3);
            const Four one = w0 * four(at) + w1 * four(at + 4) + w2 * four(at + 8) + w3 * four(at + 12);
            at += line;
            const Four two = w0 * four(at) + w1 * four(at + 4) + w2 * four(at + 8) + w3 * four(at + 12);
            at += line;
            const Four three = w0 * four(at) + w1 * four(at + 4) + w2 * four(at + 8) + w3 * four(at + 12);
            at += line;
            const Four last = w0 * four(at) + w1 * four(at + 4) + w2 * four(at + 8) + w3 * four(at + 12);
            sum = spread(z, 0) * one + spread(z, 1) * two + spread(z, 2) * three + spread(z, 3) * last;
        } else {
            for (int j = 0; j < 4; j++)
                for (int l = 0; l < 4; l++)
                    sum += down[i][j] * across[i][l] *
                           four(light + kept_within(row - 1 + j, height) * line +
                                4 * kept_within(column - 1 + l, width));
        }
        sums[i] = sum;
    }
}

/* Weights of the `taps` places around one, for the kernel of `cubic` made so much wider. */
INLINE void wide_cubic(float share, float wide, int taps, float *restrict w)
{
    const float a = -0.75f, narrow = 1.0f / wide;
    float sum = 0.0f;
    for (int l = 0; l < taps; l++) {
        const float t = fabsf(share + taps / 2 - 1 - l) * narrow;
        const float inner = ((a + 2.0f) * t - (a + 3.0f)) * t * t + 1.0f;
        const float outer = ((a * t - 5.0f * a) * t + 8.0f * a) * t - 4.0f * a;
        w[l] = t < 1.0f ? inner : (t < 2.0f ? outer : 0.0f);
        sum += w[l];
    }
    for (int l = 0; l < taps; l++) w[l] /= sum;
}

enum { MOST_TAPS = 16 };

/* The same where the picture is made smaller: the kernel is as many times wider across and down. */
INLINE void wide_sums(const float *light, int width, int height, const double *inverse, const float *wide, int x,
                      int n, Four *restrict sums)
{
    float across[PIECE][MOST_TAPS], down[PIECE][MOST_TAPS], shares[2][PIECE];
    int columns[PIECE], rows[PIECE];
    const ptrdiff_t line = 4 * (ptrdiff_t)width;
    int taps[2];
    for (int k = 0; k < 2; k++) {
        taps[k] = 2 * (int)ceilf(2.0f * wide[k]);
        taps[k] = taps[k] > MOST_TAPS ? MOST_TAPS : taps[k];
    }
    places_of(inverse, x, n, width, height, columns, rows, shares[0], shares[1]);
    for (int i = 0; i < n; i++) wide_cubic(shares[0][i], wide[0], taps[0], across[i]);
    for (int i = 0; i < n; i++) wide_cubic(shares[1][i], wide[1], taps[1], down[i]);
    for (int i = 0; i < n; i++) {
        const int left = columns[i] - taps[0] / 2 + 1, top = rows[i] - taps[1] / 2 + 1;
        const int is_inside = left >= 0 && left + taps[0] <= width;
        Four sum = {0};
        for (int j = 0; j < taps[1]; j++) {
            const float *const row = light + kept_within(top + j, height) * line;
            Four part = {0};
            if (is_inside)
                for (int l = 0; l < taps[0]; l++) part += across[i][l] * four(row + 4 * (left + l));
            else
                for (int l = 0; l < taps[0]; l++)
                    part += across[i][l] * four(row + 4 * kept_within(left + l, width));
            sum += down[i][j] * part;
        }
        sums[i] = sum;
    }
}

/* Light (from_width x from_height) whose every place comes from elsewhere, as R'G'B' codes. For each row of codes,
 * the inverse homography is six numbers: a place x of it comes from ((h0 + h1 x) / (h4 + h5 x),
 * (h2 + h3 x) / (h4 + h5 x)). `wide` is how
 * many times smaller the picture gets across and down, 1 where it does not. */
KERNEL void chronoxis_warp(const float *light, int from_width, int from_height, const double *inverse,
                           const float *wide, const Curve *curve, int width, int y0, int y1, uint16_t *out)
{
    Four sums[PIECE];
    const int is_narrow = wide[0] <= 1.0f && wide[1] <= 1.0f;
    EACH_PIECE {
        const double *const row = inverse + 6 * (ptrdiff_t)y;
        if (is_narrow)
            narrow_sums(light, from_width, from_height, row, x, n, sums);
        else
            wide_sums(light, from_width, from_height, row, wide, x, n, sums);
        store_light(sums, n, curve, out + 3 * ((ptrdiff_t)y * width + x));
    }
}

/* Thresholds of an ordered dither (Bayer 1973), in sixty-fourths. */
static const uint8_t DITHER[8][8] = {
    {0, 48, 12, 60, 3, 51, 15, 63}, {32, 16, 44, 28, 35, 19, 47, 31}, {8, 56, 4, 52, 11, 59, 7, 55},
    {40, 24, 36, 20, 43, 27, 39, 23}, {2, 50, 14, 62, 1, 49, 13, 61}, {34, 18, 46, 30, 33, 17, 45, 29},
    {10, 58, 6, 54, 9, 57, 5, 53},  {42, 26, 38, 22, 41, 25, 37, 21},
};

/* Writes n values as samples from 0 to `top`, dithered. */
#define WRITE_DITHERED(TYPE)                                                                                 \
    do {                                                                                                     \
        TYPE *restrict to = (TYPE *)row;                                                                     \
        for (int i = 0; i < n; i++) {                                                                        \
            const float value = values[i] + thresholds[i];                                                   \
            to[i] = (TYPE)(int)(value < 0.0f ? 0.0f : (value > top ? top : value));                          \
        }                                                                                                    \
    } while (0)

INLINE void write_dithered(void *row, int is_wide, float top, const float *restrict thresholds, int n,
                           const float *restrict values)
{
    if (is_wide)
        WRITE_DITHERED(uint16_t);
    else
        WRITE_DITHERED(uint8_t);
}

#define READ_CODES(TYPE)                                                                                     \
    do {                                                                                                     \
        const TYPE *restrict code = (const TYPE *)from + 3 * x;                                              \
        for (int i = 0; i < n; i++) {                                                                        \
            c[0][i] = code[3 * i];                                                                           \
            c[1][i] = code[3 * i + 1];                                                                       \
            c[2][i] = code[3 * i + 2];                                                                       \
        }                                                                                                    \
    } while (0)

/* Planes of Y'CbCr of R'G'B' codes of sixteen bits, or of eight. A chroma sample is of the mean of the pixels that
 * share it. The rows begin at an even one; the matrix leads from codes to samples from 0 to `top`. */
KERNEL void chronoxis_planes(const char *codes, ptrdiff_t stride, int is_deep, const float *m, int across, int down,
                             float top, int width, int height, void *const *planes, const ptrdiff_t *strides, int y0,
                             int y1)
{
    float c[3][PIECE], luma[PIECE], sums[3][PIECE + 1], shared[3][PIECE], chroma[PIECE], thresholds[8][PIECE];
    const int is_wide = top > 255.0f, rows = 1 << down, bytes = is_wide ? 2 : 1;
    const float scale = 1.0f / (rows << across);
    for (int j = 0; j < 8; j++)
        for (int i = 0; i < PIECE; i++) thresholds[j][i] = (DITHER[j][i & 7] + 0.5f) * (1.0f / 64.0f);
    for (int y = y0; y < y1; y += rows) {
        for (int x = 0, n; x < width && (n = width - x < PIECE ? width - x : PIECE, 1); x += PIECE) {
            memset(sums, 0, sizeof sums);
            for (int line = y; line < y + rows; line++) {
                const int own = line < height ? line : height - 1;
                const char *const from = codes + own * stride;
                if (is_deep)
                    READ_CODES(uint16_t);
                else
                    READ_CODES(uint8_t);
                for (int i = 0; i < n; i++) luma[i] = m[0] * c[0][i] + m[1] * c[1][i] + m[2] * c[2][i] + m[3];
                if (line < height)
                    write_dithered((char *)planes[0] + line * strides[0] + bytes * x, is_wide, top,
                                   thresholds[line & 7], n, luma);
                for (int k = 0; k < 3; k++)
                    for (int i = 0; i < n; i++) sums[k][i] += c[k][i];
            }
            const int count = across ? (n + 1) / 2 : n;
            for (int k = 0; k < 3; k++) {
                float *restrict to = shared[k];
                if (across) {
                    if (n & 1) sums[k][n] = sums[k][n - 1];
                    for (int i = 0; i < count; i++) to[i] = scale * (sums[k][2 * i] + sums[k][2 * i + 1]);
                } else
                    for (int i = 0; i < count; i++) to[i] = scale * sums[k][i];
            }
            for (int p = 1; p < 3; p++) {
                const float *w = m + 4 * p;
                const int row = y >> down;
                for (int i = 0; i < count; i++)
                    chroma[i] = w[0] * shared[0][i] + w[1] * shared[1][i] + w[2] * shared[2][i] + w[3];
                write_dithered((char *)planes[p] + row * strides[p] + bytes * (x >> across), is_wide, top,
                               thresholds[row & 7], count, chroma);
            }
        }
    }
}

/* Of which rows, or columns, of a picture each one of another is made: of `most` from `first` on, with shares that
 * add up to 1; `count` is how many are made. */
typedef struct {
    const int32_t *first;
    const float *shares;
    int32_t most, count;
} Taps;

#define SUM_ROWS(TYPE)                                                                                       \
    do {                                                                                                     \
        const TYPE *restrict a = (const TYPE *)rows[0], *restrict b = (const TYPE *)rows[1];                 \
        const TYPE *restrict c = (const TYPE *)rows[2], *restrict d = (const TYPE *)rows[3];                 \
        const float p = shares[0], q = shares[1], r = shares[2], s = shares[3];                              \
        if (is_first && !s)                                                                                  \
            for (ptrdiff_t i = 0; i < n; i++) to[i] = p * a[i] + q * b[i] + r * c[i];                        \
        else if (is_first)                                                                                   \
            for (ptrdiff_t i = 0; i < n; i++) to[i] = p * a[i] + q * b[i] + r * c[i] + s * d[i];             \
        else                                                                                                 \
            for (ptrdiff_t i = 0; i < n; i++) to[i] += p * a[i] + q * b[i] + r * c[i] + s * d[i];            \
    } while (0)

/* Sums n samples of up to four rows, `stride` bytes apart. */
INLINE void sum_rows(const char *from, ptrdiff_t stride, int is_wide, const float *given, int count, ptrdiff_t n,
                     int is_first, float *restrict to)
{
    const char *rows[4];
    float shares[4];
    for (int k = 0; k < 4; k++) {
        rows[k] = from + (k < count ? k : 0) * stride;
        shares[k] = k < count ? given[k] : 0.0f;
    }
    if (is_wide)
        SUM_ROWS(uint16_t);
    else
        SUM_ROWS(uint8_t);
}

/* Makes n pixels of a row of sums, from the one numbered x on. Of pixels of four samples the last is left out. */
INLINE void sum_columns(const float *restrict row, int channels, const Taps *across, int most, int x, int n,
                        float *restrict made)
{
    const float *restrict shares = across->shares + (ptrdiff_t)x * most;
    const int32_t *restrict first = across->first + x;
    for (int i = 0; i < n; i++, shares += most) {
        const float *const from = row + (ptrdiff_t)channels * first[i];
        if (channels == 1) {
            float sum = 0.0f;
            for (int k = 0; k < most; k++) sum += shares[k] * from[k];
            made[i] = sum;
            continue;
        }
        Four even = shares[0] * four(from), odd = all_of(0.0f);
        for (int k = 1; k < most; k += 2) {
            odd += shares[k] * four(from + channels * k);
            if (k + 1 < most) even += shares[k + 1] * four(from + channels * (k + 1));
        }
        even += odd;
        memcpy(made + 3 * i, &even, sizeof even); /* the fourth is written over by the pixel that follows */
    }
}

#define STORE_SAMPLES(TYPE)                                                                                  \
    do {                                                                                                     \
        TYPE *restrict to = out;                                                                             \
        for (int i = 0; i < n; i++) {                                                                        \
            const float sum = made[i] + 0.5f;                                                                \
            to[i] = (TYPE)(int)(sum < 0.0f ? 0.0f : (sum > top ? top : sum));                                \
        }                                                                                                    \
    } while (0)

INLINE void store_samples(const float *restrict made, int n, float top, int is_wide, void *restrict out)
{
    if (is_wide)
        STORE_SAMPLES(uint16_t);
    else
        STORE_SAMPLES(uint8_t);
}

/* The rows y0 to y1 of a picture of another size: first sums of rows, then of columns. Samples are from 0 to `top`; a
 * pixel has one, three or four of them, and one or three come out. `row` has room for a row of sums and one more. */
KERNEL void chronoxis_scale(const char *samples, ptrdiff_t stride, int width, int channels, int top, const Taps *down,
                            const Taps *across, int y0, int y1, float *row, char *out)
{
    const int is_wide = top > 255, given = channels == 1 ? 1 : 3, bytes = is_wide ? 2 : 1;
    float made[3 * PIECE + 1];
    for (int y = y0; y < y1; y++) {
        const char *const from = samples + down->first[y] * stride;
        const float *const shares = down->shares + (ptrdiff_t)y * down->most;
        for (int k = 0; k < down->most; k += 4)
            sum_rows(from + k * stride, stride, is_wide, shares + k, down->most - k < 4 ? down->most - k : 4,
                     (ptrdiff_t)channels * width, !k, row);
        for (int x = 0; x < across->count; x += PIECE) {
            const int n = across->count - x < PIECE ? across->count - x : PIECE;
            /* What is known beforehand takes half the time. */
            if (channels == 3)
                sum_columns(row, 3, across, across->most, x, n, made);
            else if (channels == 4 && across->most == 3)
                sum_columns(row, 4, across, 3, x, n, made);
            else
                sum_columns(row, channels, across, across->most, x, n, made);
            store_samples(made, given * n, (float)top, is_wide, out + bytes * ((ptrdiff_t)y * across->count + x) * given);
        }
    }
}

/* Sums of differences over the rows y0 to y1, for each of n columns. */
#define SUM_DIFFERENCES(TYPE, SUM, MOST)                                                                           \
    do {                                                                                                     \
        SUM some[PIECE];                                                                                     \
        for (int top = y0; top < y1; top += MOST) {                                                          \
            const int bottom = y1 - top < MOST ? y1 : top + MOST;                                            \
            memset(some, 0, sizeof some);                                                                    \
            for (int y = top; y < bottom; y++) {                                                             \
                const TYPE *restrict one = (const TYPE *)(before + y * before_stride) + x;                   \
                const TYPE *restrict other = (const TYPE *)(after + y * after_stride) + x;                   \
                for (int i = 0; i < n; i++) {                                                                \
                    const TYPE more = one[i] > other[i] ? one[i] : other[i];                                 \
                    const TYPE less = one[i] > other[i] ? other[i] : one[i];                                 \
                    some[i] += (SUM)(TYPE)(more - less);                                                     \
                }                                                                                            \
            }                                                                                                \
            for (int i = 0; i < n; i++) sums[i] += some[i];                                                  \
        }                                                                                                    \
    } while (0)

INLINE void sum_differences(const char *before, ptrdiff_t before_stride, const char *after, ptrdiff_t after_stride,
                      int is_wide, int x, int n, int y0, int y1, uint64_t *restrict sums)
{
    if (is_wide)
        SUM_DIFFERENCES(uint16_t, uint32_t, 65536);
    else
        SUM_DIFFERENCES(uint8_t, uint16_t, 257); /* more rows would not fit */
}

/* The mean difference of samples in each block of two pictures, which are cut into `down` times `across` blocks, for
 * the rows of blocks from r0 to r1; no side of a picture is shorter than its blocks are many. */
KERNEL void chronoxis_block_differences(const char *before, ptrdiff_t before_stride, const char *after, ptrdiff_t after_stride,
                            int is_wide, int width, int height, int across, int down, int r0, int r1, float *means)
{
    for (int row = r0; row < r1; row++) {
        const int y0 = (int)((int64_t)row * height / down), y1 = (int)((int64_t)(row + 1) * height / down);
        int column = 0, end = width / across;
        uint64_t sum = 0;
        for (int x = 0; x < width; x += PIECE) {
            const int n = width - x < PIECE ? width - x : PIECE;
            uint64_t sums[PIECE] = {0};
            sum_differences(before, before_stride, after, after_stride, is_wide, x, n, y0, y1, sums);
            for (int i = 0; i < n; i++) {
                sum += sums[i];
                if (x + i + 1 < end) continue;
                const int begin = (int)((int64_t)column * width / across);
                means[row * across + column] = (float)((double)sum / ((double)(end - begin) * (y1 - y0)));
                sum = 0;
                column++;
                end = (int)((int64_t)(column + 1) * width / across);
            }
        }
    }
}

/* Of the structures, as the binding declares them too. */
const int32_t chronoxis_sizes[] = {sizeof(Frame),   sizeof(Curve), sizeof(Gathered), sizeof(Tiles),
                                   sizeof(Between), sizeof(Slant), sizeof(Taps)};

/* For which level of x86-64 the version was made that runs here; 0 if there is but one. */
int chronoxis_level(void)
{
#ifdef HAS_LEVELS
    __builtin_cpu_init();
    return __builtin_cpu_supports("x86-64-v4") ? 4 : __builtin_cpu_supports("x86-64-v3") ? 3 : 1;
#else
    return 0;
#endif
}

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_kernels", "Called through kernels.py.", -1,
                                    NULL, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__kernels(void) { return PyModule_Create(&module); }
