// Eight octaves of fractal gradient noise, the formula of core/kernels/assembly/noise.ts (fBm)
// written plainly, a row a function, so that the compiler vectorises it. Prints milliseconds.
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

#define N 2048
#define OCTAVES 8

typedef struct {
  double frequency, cos, sin, offset;
  float weight;
  int32_t seed;
} Octave;

static inline uint32_t mix(uint32_t h) {
  h ^= h >> 15;
  h *= 0x2c1b3c6du;
  h ^= h >> 12;
  return h * 0x297a2d39u;
}

static inline float sine(uint32_t angle) {
  float x = (float)(int32_t)angle * 4.656612873077393e-10f;
  float y = 4 * x * (1 - fabsf(x));
  return 0.225f * (y * fabsf(y) - y) + y;
}

static inline float corner(uint32_t hash, float x, float y) {
  uint32_t h = mix(hash);
  return sine(h + 0x40000000u) * x + sine(h) * y;
}

static inline float fade(float t) { return t * t * t * (t * (t * 6 - 15) + 10); }

static void row_of(float *restrict out, double y, const Octave *octaves) {
  for (int i = 0; i < N; i++) out[i] = 0;
  for (int k = 0; k < OCTAVES; k++) {
    const double c = octaves[k].cos * octaves[k].frequency, s = octaves[k].sin * octaves[k].frequency;
    const double u0 = octaves[k].offset - s * y, v0 = octaves[k].offset + c * y;
    const float weight = octaves[k].weight;
    const uint32_t seed = (uint32_t)octaves[k].seed;
    for (int i = 0; i < N; i++) {
      const double u = u0 + c * i, v = v0 + s * i;
      const double fu = floor(u), fv = floor(v);
      const int32_t ix = (int32_t)fu, iy = (int32_t)fv;
      const float fx = (float)(u - fu), fy = (float)(v - fv);
      const uint32_t hx0 = (uint32_t)ix * 0x1b873593u, hx1 = hx0 + 0x1b873593u;
      const uint32_t hy0 = ((uint32_t)iy * 0x2545f491u) ^ seed, hy1 = ((uint32_t)(iy + 1) * 0x2545f491u) ^ seed;
      const float a = fade(fx), b = fade(fy);
      const float n00 = corner(hx0 + hy0, fx, fy), n10 = corner(hx1 + hy0, fx - 1, fy);
      const float n01 = corner(hx0 + hy1, fx, fy - 1), n11 = corner(hx1 + hy1, fx - 1, fy - 1);
      const float north = n00 + a * (n10 - n00), south = n01 + a * (n11 - n01);
      out[i] += weight * (north + b * (south - north)) * 1.41421356f;
    }
  }
}

int main(void) {
  Octave octaves[OCTAVES];
  double frequency = 1.0 / 1000, c = 0.8, s = 0.6;
  float amplitude = 1;
  for (int k = 0; k < OCTAVES; k++) {
    octaves[k] = (Octave){frequency, c, s, 17.25 * (k + 1), amplitude, 1234567 * (k + 1)};
    frequency *= 2.03;
    amplitude *= 0.5f;
    const double t = c * 0.8 - s * 0.6;
    s = c * 0.6 + s * 0.8;
    c = t;
  }
  float *out = malloc(sizeof(float) * N * N);
  for (int row = 0; row < N; row++) row_of(out + (size_t)row * N, row, octaves);
  struct timespec a, b;
  clock_gettime(CLOCK_MONOTONIC, &a);
  for (int row = 0; row < N; row++) row_of(out + (size_t)row * N, row, octaves);
  clock_gettime(CLOCK_MONOTONIC, &b);
  double sum = 0;
  for (size_t i = 0; i < (size_t)N * N; i++) sum += out[i];
  fprintf(stderr, "%g\n", sum);
  printf("%.3f\n", (b.tv_sec - a.tv_sec) * 1e3 + (b.tv_nsec - a.tv_nsec) / 1e6);
  free(out);
  return 0;
}
