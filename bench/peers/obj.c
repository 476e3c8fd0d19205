/* A regular grid of n x n vertices with texture coordinates and normals as OBJ text: what 8 million triangles cost in C. */
#include <stdio.h>
#include <stdlib.h>
#include <math.h>

int main(int argc, char **argv) {
  int n = atoi(argv[1]);
  FILE *out = fopen(argv[2], "w");
  for (int y = 0; y < n; y++)
    for (int x = 0; x < n; x++) fprintf(out, "v %.9g %.9g %.9g\n", 8.0f * x, (float)(600 + 200 * sin(x * 0.01) * cos(y * 0.013)), 8.0f * y);
  for (int y = 0; y < n; y++)
    for (int x = 0; x < n; x++) fprintf(out, "vt %.9g %.9g\n", (float)x / (n - 1), 1 - (float)y / (n - 1));
  for (int y = 0; y < n; y++)
    for (int x = 0; x < n; x++) fprintf(out, "vn %.6g %.6g %.6g\n", 0.1, 0.99, 0.05);
  for (int y = 0; y + 1 < n; y++)
    for (int x = 0; x + 1 < n; x++) {
      int a = y * n + x + 1, b = a + 1, c = a + n, d = c + 1;
      fprintf(out, "f %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, a, c, c, c, b, b, b);
      fprintf(out, "f %d/%d/%d %d/%d/%d %d/%d/%d\n", b, b, b, c, c, c, d, d, d);
    }
  fclose(out);
  return 0;
}
