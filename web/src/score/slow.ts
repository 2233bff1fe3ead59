// Sound slower at the same pitch: grains laid where they fit the sound before them best (WSOLA, Verhelst & Roelands
// 1993, from memory). For listening only.

/** Length of a grain, and how far its place may move for a better fit, seconds. */
const GRAIN = 0.05;
const SEARCH = 0.012;

/** Where, near `wanted`, the sound goes on most like `from` would. */
function bestFit(sound: Float32Array, from: number, wanted: number, search: number, length: number): number {
  let best = wanted;
  let highest = -Infinity;
  for (let at = Math.max(0, wanted - search); at <= wanted + search; at += 2) {
    let sum = 0;
    for (let i = 0; i < length; i += 4) sum += (sound[from + i] ?? 0) * (sound[at + i] ?? 0);
    if (sum > highest) {
      highest = sum;
      best = at;
    }
  }
  return best;
}

/** A sound `1 / speed` times as long. */
export function slower(context: AudioContext, buffer: AudioBuffer, speed: number): AudioBuffer {
  const rate = buffer.sampleRate;
  const grain = Math.round(GRAIN * rate);
  const hop = grain >> 1;
  const search = Math.round(SEARCH * rate);
  const length = Math.ceil(buffer.length / speed);
  const out = context.createBuffer(1, length, rate);
  const sound = buffer.getChannelData(0);
  const made = out.getChannelData(0);
  let from = 0;
  for (let to = 0; to < length; to += hop) {
    const wanted = Math.round(to * speed);
    const at = to === 0 ? 0 : bestFit(sound, from + hop, wanted, search, grain);
    for (let i = 0; i < grain && to + i < length; i++) {
      const rise = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / grain);
      made[to + i] = (made[to + i] ?? 0) + (sound[at + i] ?? 0) * rise;
    }
    from = at;
  }
  return out;
}
