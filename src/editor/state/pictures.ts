/** Pictures in and out, by the browser's own reader and writer of PNG. */
import type { GreyImage } from '../../core/groom/image-map';

const MOST_PIXELS = 8192;

/** A picture's brightness as it is stored, without any change of colours; of what is not grey the mean of its colours. */
export async function greyOf(file: Blob): Promise<GreyImage> {
  const bitmap = await createImageBitmap(file, { colorSpaceConversion: 'none', premultiplyAlpha: 'none' }), k = Math.min(1, MOST_PIXELS / Math.max(bitmap.width, bitmap.height)), width = Math.max(1, Math.round(bitmap.width * k)), height = Math.max(1, Math.round(bitmap.height * k));
  const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true })!;
  context.drawImage(bitmap, 0, 0, width, height);
  bitmap.close();
  const rgba = context.getImageData(0, 0, width, height).data, values = new Uint8Array(width * height);
  for (let p = 0; p < values.length; p++) values[p] = Math.round((rgba[4 * p] + rgba[4 * p + 1] + rgba[4 * p + 2]) / 3);
  return { width, height, values };
}

export async function pngOf({ width, height, values }: GreyImage): Promise<Blob> {
  const canvas = new OffscreenCanvas(width, height), context = canvas.getContext('2d')!, image = context.createImageData(width, height);
  for (let p = 0; p < values.length; p++) { image.data.fill(values[p], 4 * p, 4 * p + 3); image.data[4 * p + 3] = 255; }
  context.putImageData(image, 0, 0);
  return canvas.convertToBlob({ type: 'image/png' });
}
