import { z } from 'zod';
import { gaussian, gaussianReach } from '../../field/gaussian';
import { spacingOf } from '../../field/ground';
import { defineStep } from '../step';
import { count, distance } from '../params';

/**
 * Smooths within faces and leaves edges: a guided filter (He, Sun & Tang 2010), guided by the
 * ground itself, over Gaussian windows. With m the blurred ground and v the blurred square of
 * what stands out of it, a = v / (v + edge²), and the ground becomes ā·h + mean of (1 − a)·m.
 * The variance counts from the local surface and not from a level, so that a plain slope is no
 * edge. Sizes in metres.
 */
export const edgeSmooth = defineStep({
  id: 'edge-smooth',
  title: 'Smooth faces',
  family: 'shape',
  summary: 'Smooths small roughness and leaves edges and crests sharp.',
  finds: ['bilateral', 'smooth', 'denoise', 'faces', 'edge-preserving', 'surface blur'],
  params: z.object({
    size: distance(40, { fits: 'size', min: 0, max: 2_000, step: 0.1, label: 'Size', help: 'How far around a place it looks.' }),
    edge: distance(3, {
      fits: 'range',
      min: 0.001,
      max: 500,
      step: 0.01,
      logarithmic: true,
      label: 'Edge',
      help: 'What stands out by less than this is smoothed.',
    }),
    passes: count(1, { min: 1, max: 6, label: 'Passes' }),
  }),
  reach({ size, passes }, ground) {
    const { x, y } = spacingOf(ground);
    // Three blurs deep: the mean, the variance about it, the mean of what follows from it.
    return 3 * passes * Math.max(x * gaussianReach(size / x), y * gaussianReach(size / y));
  },
  caption: ({ size, edge }) => `${Number(size.toFixed(1))} m, edge ${Number(edge.toFixed(2))} m`,
  async run({ height }, { size, edge, passes }, { ground, window, kernels, progress, signal }) {
    const { x, y } = spacingOf(ground);
    if (size / Math.min(x, y) < 0.05) return { height };
    const smooth = (field: Float32Array) => gaussian(kernels, field, window.across, window.down, size / x, size / y, { signal });
    let h = height;
    for (let pass = 0; pass < passes; pass++) {
      const mean = await smooth(h);
      const square = new Float32Array(h.length);
      for (let i = 0; i < h.length; i++) square[i] = (h[i] - mean[i]) * (h[i] - mean[i]);
      const variance = await smooth(square);
      const kept = square;
      const rest = new Float32Array(h.length);
      for (let i = 0; i < h.length; i++) {
        const a = variance[i] / (variance[i] + edge * edge);
        kept[i] = a;
        rest[i] = (1 - a) * mean[i];
      }
      const [keptMean, restMean] = [await smooth(kept), await smooth(rest)];
      const out = new Float32Array(h.length);
      for (let i = 0; i < h.length; i++) out[i] = keptMean[i] * h[i] + restMean[i];
      h = out;
      progress((pass + 1) / passes);
    }
    return { height: h };
  },
});
