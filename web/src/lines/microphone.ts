// The microphone: what it hears, how loud it is, and takes of it as WAV files. Nothing is processed: no echo
// cancelling, no noise reduction, no automatic gain.

import captureUrl from './capture.js?url&no-inline';

export interface Recorded {
  file: File;
  seconds: number;
  /** Loudest sample, 0..1 and above where it is cut off. */
  peak: number;
  /** The number under which the sounds are kept that were heard meanwhile. */
  heard?: number | null;
}

export class Microphone {
  private context: AudioContext | null = null;
  private stream: MediaStream | null = null;
  private blocks: Float32Array[] | null = null;
  /** Who else is given what is heard, as it comes. */
  onBlock: ((samples: Float32Array) => void) | null = null;
  /** Loudest sample since it was asked for last. */
  private loudest = 0;

  /** Opens the microphone; refused or missing, it says so in a sentence. */
  async open(device?: string) {
    if (this.context) return;
    try {
      this.stream = await navigator.mediaDevices.getUserMedia({
        audio: {
          deviceId: device ? { exact: device } : undefined,
          echoCancellation: false,
          noiseSuppression: false,
          autoGainControl: false,
          channelCount: 1,
        },
      });
    } catch (error) {
      const name = error instanceof DOMException ? error.name : '';
      throw new Error(
        name === 'NotAllowedError'
          ? 'The browser was not allowed to use the microphone; allow it for this page and try again.'
          : 'No microphone was found; plug one in and try again.',
        { cause: error },
      );
    }
    this.context = new AudioContext();
    await this.context.audioWorklet.addModule(captureUrl);
    const capture = new AudioWorkletNode(this.context, 'capture', { numberOfOutputs: 0 });
    capture.port.onmessage = ({ data }: MessageEvent<Float32Array>) => {
      for (const sample of data) this.loudest = Math.max(this.loudest, Math.abs(sample));
      this.blocks?.push(data);
      this.onBlock?.(data);
    };
    this.context.createMediaStreamSource(this.stream).connect(capture);
    await this.context.resume();
  }

  /** The microphones that there are; their names are told once one was opened. */
  async devices(): Promise<MediaDeviceInfo[]> {
    const all = await navigator.mediaDevices.enumerateDevices();
    return all.filter((d) => d.kind === 'audioinput' && d.deviceId !== 'default');
  }

  close() {
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    void this.context?.close();
    this.context = this.stream = this.blocks = null;
  }

  /** Samples a second; 0 while it is closed. */
  rate(): number {
    return this.context?.sampleRate ?? 0;
  }

  level(): number {
    const level = this.loudest;
    this.loudest = 0;
    return level;
  }

  /** A short tone, for the count-in. */
  tick(high: boolean) {
    if (!this.context) return;
    const tone = this.context.createOscillator();
    const gain = this.context.createGain();
    const now = this.context.currentTime;
    tone.frequency.value = high ? 1320 : 880;
    gain.gain.setValueAtTime(0.2, now);
    gain.gain.exponentialRampToValueAtTime(0.001, now + 0.09);
    tone.connect(gain).connect(this.context.destination);
    tone.start(now);
    tone.stop(now + 0.1);
  }

  start() {
    this.blocks = [];
  }

  /** Ends the take; none if nothing was heard. */
  stop(name: string): Recorded | null {
    const blocks = this.blocks ?? [];
    this.blocks = null;
    const rate = this.context?.sampleRate ?? 48_000;
    const count = blocks.reduce((sum, b) => sum + b.length, 0);
    if (count === 0) return null;
    const samples = new Float32Array(count);
    let at = 0;
    let peak = 0;
    for (const block of blocks) {
      samples.set(block, at);
      at += block.length;
    }
    for (const sample of samples) peak = Math.max(peak, Math.abs(sample));
    return { file: new File([wav(samples, rate)], name, { type: 'audio/wav' }), seconds: count / rate, peak };
  }
}

/** Float samples as they are, in a WAV file of format 3. */
export function wav(samples: Float32Array<ArrayBuffer>, rate: number): Blob {
  const head = new DataView(new ArrayBuffer(44));
  const text = (at: number, value: string) =>
    [...value].forEach((c, i) => head.setUint8(at + i, c.charCodeAt(0)));
  text(0, 'RIFF');
  head.setUint32(4, 36 + samples.byteLength, true);
  text(8, 'WAVEfmt ');
  head.setUint32(16, 16, true);
  head.setUint16(20, 3, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rate, true);
  head.setUint32(28, rate * 4, true);
  head.setUint16(32, 4, true);
  head.setUint16(34, 32, true);
  text(36, 'data');
  head.setUint32(40, samples.byteLength, true);
  return new Blob([head.buffer, samples]);
}
