/** Pictures that leave the engine as PNG. */

export async function pngBlob(pixels: Uint8ClampedArray<ArrayBuffer>, width: number, height: number): Promise<Blob> {
  const canvas = new OffscreenCanvas(width, height);
  canvas.getContext('2d')!.putImageData(new ImageData(pixels, width, height), 0, 0);
  return canvas.convertToBlob({ type: 'image/png' });
}

export async function pngUrl(pixels: Uint8ClampedArray<ArrayBuffer>, width: number, height: number): Promise<string> {
  const bytes = new Uint8Array(await (await pngBlob(pixels, width, height)).arrayBuffer());
  let text = '';
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return `data:image/png;base64,${btoa(text)}`;
}
