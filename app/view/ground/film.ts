import type { VideoCodec } from 'mediabunny';

/** How a film is written: the container's ending, and what packs its pictures. */
export interface FilmKind {
  ending: 'mp4' | 'webm';
  mediaType: string;
  codec: VideoCodec;
}

const WAYS = [
  { ending: 'mp4', mediaType: 'video/mp4', codecs: ['avc', 'hevc', 'av1'] },
  { ending: 'webm', mediaType: 'video/webm', codecs: ['vp9', 'av1', 'vp8'] },
] as const;

/** Whole pairs of pixels: colour is stored at half the pixels each way. */
const even = (pixels: number) => pixels - (pixels % 2);

/** What this browser can encode a film of such a size with; null: nothing. */
export async function filmKind(width: number, height: number): Promise<FilmKind | null> {
  if (!('VideoEncoder' in globalThis)) return null;
  const { getFirstEncodableVideoCodec } = await import('mediabunny');
  for (const { ending, mediaType, codecs } of WAYS) {
    const codec = await getFirstEncodableVideoCodec([...codecs], { width: even(width), height: even(height) });
    if (codec) return { ending, mediaType, codec };
  }
  return null;
}

/** Pictures as one film, each a frame; encoded by the browser. */
export async function film(
  pictures: AsyncIterable<Blob>,
  { width, height, perSecond, kind }: { width: number; height: number; perSecond: number; kind: FilmKind },
): Promise<Blob> {
  const { BufferTarget, CanvasSource, Mp4OutputFormat, Output, QUALITY_VERY_HIGH, WebMOutputFormat } = await import('mediabunny');
  const canvas = new OffscreenCanvas(even(width), even(height));
  const context = canvas.getContext('2d', { alpha: false })!;
  const target = new BufferTarget();
  const output = new Output({ format: kind.ending === 'mp4' ? new Mp4OutputFormat() : new WebMOutputFormat(), target });
  const source = new CanvasSource(canvas, { codec: kind.codec, bitrate: QUALITY_VERY_HIGH });
  output.addVideoTrack(source, { frameRate: perSecond });
  await output.start();
  try {
    let k = 0;
    for await (const picture of pictures) {
      const bitmap = await createImageBitmap(picture);
      context.drawImage(bitmap, 0, 0);
      bitmap.close();
      await source.add(k++ / perSecond, 1 / perSecond);
    }
    await output.finalize();
  } catch (error) {
    await output.cancel();
    throw error;
  }
  return new Blob([target.buffer!], { type: kind.mediaType });
}
