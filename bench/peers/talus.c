/* The talus sweep of core/kernels/assembly/talus.ts on one grid, in C, one thread. Prints milliseconds. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#define N 1025
#define STRIDE (N + 2)

static float height[STRIDE * STRIDE], change[STRIDE * STRIDE], rate[STRIDE * STRIDE], moved[STRIDE * STRIDE], bed[STRIDE * STRIDE];
static const int step[8] = {-1, 1, -STRIDE, STRIDE, -STRIDE - 1, -STRIDE + 1, STRIDE - 1, STRIDE + 1};

int main(int argc, char **argv) {
  int sweeps = argc > 1 ? atoi(argv[1]) : 20;
  float drop = 8 * tanf(34 * 3.14159265f / 180), diagonal = drop * sqrtf(2);
  float allowed[8] = {drop, drop, drop, drop, diagonal, diagonal, diagonal, diagonal};
  for (int i = 0; i < STRIDE * STRIDE; i++) height[i] = bed[i] = 1e30f;
  for (int y = 0; y < N; y++)
    for (int x = 0; x < N; x++) bed[(y + 1) * STRIDE + x + 1] = 300 * sinf(x * 0.05f) * cosf(y * 0.04f) + 12 * sinf(x * 1.7f + y * 2.3f);
  struct timespec from, to;
  clock_gettime(CLOCK_MONOTONIC, &from);
  for (int s = 0; s < sweeps; s++) {
    for (int y = 1; y <= N; y++)
      for (int x = 1; x <= N; x++) height[y * STRIDE + x] = bed[y * STRIDE + x] + change[y * STRIDE + x];
    for (int y = 1; y <= N; y++)
      for (int x = 1; x <= N; x++) {
        int i = y * STRIDE + x;
        float sum = 0, most = 0;
        for (int k = 0; k < 8; k++) {
          float e = fmaxf(0, height[i] - height[i + step[k]] - allowed[k]);
          sum += e;
          most = fmaxf(most, e);
        }
        rate[i] = 0.4f * most / fmaxf(1e-12f, sum);
        moved[i] = rate[i] * sum;
      }
    for (int y = 1; y <= N; y++)
      for (int x = 1; x <= N; x++) {
        int i = y * STRIDE + x;
        float in = 0;
        for (int k = 0; k < 8; k++) in += rate[i + step[k]] * (height[i + step[k]] > 1e29f ? 0 : fmaxf(0, height[i + step[k]] - height[i] - allowed[k]));
        change[i] += in - moved[i];
      }
  }
  clock_gettime(CLOCK_MONOTONIC, &to);
  printf("%.3f\n", (to.tv_sec - from.tv_sec) * 1e3 + (to.tv_nsec - from.tv_nsec) / 1e6);
  return 0;
}
