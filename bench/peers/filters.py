# SciPy's filters on a 2048² float32 ground, timed inside one process that answers line by line.
import sys
import time

import numpy
from scipy import ndimage

rng = numpy.random.default_rng(7)
ground = ndimage.gaussian_filter(rng.standard_normal((2048, 2048)), 3).astype(numpy.float32) * 400 + 600
work = {
    "gaussian": lambda: ndimage.gaussian_filter(ground, 8, mode="nearest"),
    "median": lambda: ndimage.median_filter(ground, size=5, mode="nearest"),
}
for line in sys.stdin:
    began = time.perf_counter()
    work[line.strip()]()
    print((time.perf_counter() - began) * 1000, flush=True)
