// The sound of a movie: what the server's WAV holds, sample for sample, laid on the movie's frames.

/** Samples of all channels in turn, and how they are kept. */
export interface Sound {
  rate: number;
  channels: number;
  samples: Float32Array;
  /** Bits of a sample in the file; 32 is a float. */
  bits: number;
}

/** Reads a WAV of whole numbers of 16 or 24 bits, or of floats. Browsers' own decoding would resample it. */
export function readWave(buffer: ArrayBuffer): Sound {
  const view = new DataView(buffer);
  let [rate, channels, bits] = [0, 0, 0];
  for (let at = 12; at + 8 <= view.byteLength;) {
    const name = String.fromCharCode(...new Uint8Array(buffer, at, 4));
    const size = view.getUint32(at + 4, true);
    const body = at + 8;
    if (name === 'fmt ') {
      channels = view.getUint16(body + 2, true);
      rate = view.getUint32(body + 4, true);
      bits = view.getUint16(body + 14, true);
    }
    if (name === 'data') {
      const bytes = bits / 8;
      const samples = new Float32Array(Math.floor(size / bytes));
      for (let i = 0; i < samples.length; i++) {
        const p = body + i * bytes;
        if (bits === 16) samples[i] = view.getInt16(p, true) / 0x8000;
        else if (bits === 24) {
          samples[i] = (view.getUint16(p, true) + view.getInt8(p + 2) * 0x10000) / 0x800000;
        } else samples[i] = view.getFloat32(p, true);
      }
      return { rate, channels, samples, bits };
    }
    at = body + size + (size % 2);
  }
  throw new Error('The sound of this line cannot be read; analyse it again.');
}

/** The sound from `start` seconds on (before its beginning it is silent), so many seconds long. */
export function cut(sound: Sound, start: number, seconds: number): Sound {
  const length = Math.round(seconds * sound.rate);
  const from = Math.round(start * sound.rate);
  const samples = new Float32Array(length * sound.channels);
  const first = Math.max(0, from);
  const last = Math.min(sound.samples.length / sound.channels, from + length);
  if (last > first) {
    samples.set(
      sound.samples.subarray(first * sound.channels, last * sound.channels),
      (first - from) * sound.channels,
    );
  }
  return { ...sound, samples };
}

/** At another rate, by the browser's own resampling. */
export async function resampled(sound: Sound, rate: number): Promise<Sound> {
  if (sound.rate === rate) return sound;
  const frames = sound.samples.length / sound.channels;
  const context = new OfflineAudioContext(sound.channels, Math.ceil((frames * rate) / sound.rate), rate);
  const buffer = context.createBuffer(sound.channels, frames, sound.rate);
  for (let c = 0; c < sound.channels; c++) {
    const own = buffer.getChannelData(c);
    for (let i = 0; i < frames; i++) own[i] = sound.samples[i * sound.channels + c] ?? 0;
  }
  const source = context.createBufferSource();
  source.buffer = buffer;
  source.connect(context.destination);
  source.start();
  const made = await context.startRendering();
  const samples = new Float32Array(made.length * sound.channels);
  for (let c = 0; c < sound.channels; c++) {
    made.getChannelData(c).forEach((v, i) => (samples[i * sound.channels + c] = v));
  }
  return { ...sound, rate, samples, bits: 32 };
}
