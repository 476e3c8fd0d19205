import { throwIfStopped, UplandError } from '../errors';
import { greyOrLuminance, oneBand, planesFor } from './bands';
import { BARE_CODES, type Format, type Reading, type ReadOptions } from './format';
import { decodeJpeg, frameOf } from './jpeg-decoder';
import { checkSize } from './limits';

/**
 * JPEG (ITU-T T.81), baseline and progressive, read only: 8 bits and blocks of 8 × 8 samples
 * that were thinned out apart from each other. That it is no file for heights is said.
 */
export const jpeg: Format = {
  id: 'jpeg',
  title: 'JPEG',
  endings: ['.jpg', '.jpeg'],
  mediaType: 'image/jpeg',
  writes: [],
  readOnly: true,
  carriesRange: false,
  sniff: (bytes) => bytes[0] === 0xff && bytes[1] === 0xd8 && bytes[2] === 0xff,
  read,
  write: async () => {
    throw new UplandError('read-only', 'JPEG loses heights, so it is not written. Write PNG of 16 bits or TIFF.');
  },
};

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const frame = frameOf(bytes);
  checkSize('JPEG', frame.width, frame.height);
  const count = frame.width * frame.height;
  throwIfStopped(options.signal);
  const channels = frame.channels;
  const wanted = planesFor('JPEG', channels, channels === 3, options.band);
  // Heights packed over channels do not survive a JPEG: they are not looked for.
  const chosen = await decodeJpeg(bytes, ({ samples }) =>
    wanted.length === 3 && options.band !== 'packed'
      ? greyOrLuminance(samples, options.band)
      : oneBand(
          wanted.map((channel) => planeOf(samples, channels, channel, count)),
          'u8',
          channels,
          channels === 3,
          options.band,
        ),
  );
  return {
    format: 'jpeg',
    width: frame.width,
    height: frame.height,
    channels,
    ...BARE_CODES,
    noData: null,
    lossy: true,
    ...chosen,
    odd: ['It is a JPEG: 256 levels, and fine forms were thrown away in blocks of 8 × 8 samples.', ...chosen.odd],
  };
}

function planeOf(samples: Uint8Array, channels: number, channel: number, count: number): Uint8Array {
  const plane = new Uint8Array(count);
  for (let i = 0, at = channel; i < count; i++, at += channels) plane[i] = samples[at];
  return plane;
}
