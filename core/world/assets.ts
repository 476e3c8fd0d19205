import type { Project } from '../course/project';
import { UplandError } from '../errors';

/** The assets of a terrain, by their hash. */
export const assetsIn = (assets: Project['assets']) => async (sha: string) => {
  const bytes = assets.get(sha);
  if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not in this terrain.`);
  return bytes;
};
