// A movie of a line or a scene, made in the page: every frame posed by its number, drawn and handed to the encoder; the sound beside it.

import type { CastMember, Frames, Movie } from '../api/client';
import { type SceneCurves, valuesAt } from '../scene/data';
import type { Wish } from '../stage/arrange';
import { type Graphics, takeGraphics } from '../stage/graphics';
import { SceneStage, type Standing } from '../stage/sceneStage';
import { Stage } from '../stage/stage';
import { burn, stripOf } from './burn';
import { type Sound, cut, resampled } from './wave';

const load = () => import('mediabunny');
type Bunny = Awaited<ReturnType<typeof load>>;

/** How a movie comes about: in this page, by the server's ffmpeg, or as pictures and sound in a zip. */
export type Way = 'here' | 'server' | 'pictures';

/** The way that a movie goes on this machine. */
export async function wayOf(movie: Movie, server: boolean): Promise<Way> {
  if (movie.file === 'pictures') return 'pictures';
  // Only pages from this machine or over https may encode.
  if (typeof VideoEncoder === 'function') {
    const bunny = await load();
    const { width, height } = movie;
    if (await bunny.canEncodeVideo(movie.file === 'webm' ? 'vp9' : 'avc', { width, height })) return 'here';
  }
  return server ? 'server' : 'pictures';
}

/** Ends a movie that nobody wants any more. */
export class Stopped extends Error {}

/** What draws a movie's pictures, frame after frame. */
interface Drawing {
  /** Draws a frame by its number from 0. */
  show: (index: number) => void;
  dispose: () => void;
}

/** Frames of a movie without what is posed in them. */
export type Cut = Omit<Frames, 'values'> & { count: number };

export interface Making {
  movie: Movie;
  frames: Cut;
  /** Sets the stage at a size. */
  set: (graphics: Graphics, movie: Movie, width: number, height: number) => Promise<Drawing>;
  /** What is burnt in as its name. */
  name: string;
  sound: Sound;
  /** Called with the number of frames that are done; throws to stop. */
  progress: (done: number) => void;
}

/** The stage of a line. */
export const lineStage =
  (member: CastMember, values: number[][]): Making['set'] =>
  async (graphics, movie, width, height) => {
    const wish: Wish = {
      closeUp: movie.view === 'both' ? 'small' : 'off',
      corner: 'bottom right',
      two: false,
    };
    const stage = new Stage(graphics, wish);
    stage.resize(width, height);
    await stage.load(member);
    if (movie.view === 'mouth') stage.lookFrom('mouth');
    else stage.frame();
    return {
      show: (index) => {
        stage.pose((i) => values[index]?.[i] ?? 0);
        stage.touch();
        stage.draw();
      },
      dispose: () => stage.dispose(),
    };
  };

/** The stage of a scene. */
export const sceneStage =
  (standing: Standing[], curves: SceneCurves): Making['set'] =>
  async (graphics, _, width, height) => {
    const stage = new SceneStage(graphics);
    stage.resize(width, height);
    await stage.stand(standing);
    return {
      show: (index) => {
        standing.forEach((_, i) => stage.pose(i, valuesAt(curves, i, index)));
        stage.touch();
        stage.draw();
      },
      dispose: () => stage.dispose(),
    };
  };

/** Poses and draws frame after frame into a canvas of the movie's size, each handed to `take`. */
async function eachPicture(
  { movie, frames, set, name, progress }: Making,
  take: (canvas: HTMLCanvasElement, index: number) => Promise<void>,
) {
  // The letters that are burnt in are there before the first picture.
  await document.fonts.ready;
  const graphics = takeGraphics();
  const ratio = graphics.renderer.getPixelRatio();
  graphics.renderer.setPixelRatio(1);
  let drawing: Drawing | null = null;
  try {
    // What is seen stands above what is written.
    const high = movie.height - stripOf(movie);
    drawing = await set(graphics, movie, movie.width, high);
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [movie.width, movie.height];
    const context = canvas.getContext('2d', { alpha: false });
    if (!context) throw new Error('This browser gives no canvas to draw on.');
    for (let index = 0; index < frames.count; index++) {
      progress(index);
      drawing.show(index);
      // In the same turn: the graphics keep no picture beyond it.
      context.drawImage(graphics.canvas, 0, 0, movie.width, high);
      burn(context, movie, frames, index, name);
      await take(canvas, index);
    }
  } finally {
    // The graphics are given back by what was set with them.
    drawing?.dispose();
    graphics.renderer.setPixelRatio(ratio);
  }
}

/** The sound of exactly the movie's frames. */
function soundOf({ frames, sound }: Making): Sound {
  const { num, den } = frames.frame_rate;
  const start = ((frames.first_frame - frames.sound_frame) * den) / num;
  return cut(sound, start, (frames.count * den) / num);
}

/** A movie, encoded here. */
export async function encoded(making: Making): Promise<Blob> {
  const bunny = await load();
  const { movie, frames } = making;
  const { num, den } = frames.frame_rate;
  const webm = movie.file === 'webm';
  const format = webm
    ? new bunny.WebMOutputFormat()
    : movie.file === 'mp4'
      ? new bunny.Mp4OutputFormat({ fastStart: 'in-memory' })
      : new bunny.MovOutputFormat({ fastStart: 'in-memory' });
  const target = new bunny.BufferTarget();
  const output = new bunny.Output({ format, target });
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [movie.width, movie.height];
  const copy = canvas.getContext('2d', { alpha: false });
  const picture = new bunny.CanvasSource(canvas, {
    codec: webm ? 'vp9' : 'avc',
    quality: bunny.QUALITY_HIGH,
    keyFrameInterval: 1,
    latencyMode: 'quality',
  });
  const { source, sound } = await soundTrack(bunny, movie, soundOf(making));
  output.addVideoTrack(picture, { frameRate: num / den });
  output.addAudioTrack(source);
  await output.start();
  try {
    // Both tracks at once, or a whole one waits in memory.
    const heard = feed(bunny, source, sound);
    await eachPicture(making, async (drawn, index) => {
      copy?.drawImage(drawn, 0, 0);
      const keyFrame = index % Math.max(1, Math.round(num / den)) === 0;
      await picture.add((index * den) / num, den / num, { keyFrame });
    });
    picture.close();
    await heard;
    await output.finalize();
  } catch (error) {
    await output.cancel();
    throw error;
  }
  if (!target.buffer) throw new Error('The movie was not finished; make it again.');
  return new Blob([target.buffer]);
}

/** The sound's track: as it is in a MOV; for the web Opus, which is exact at 48 kHz only. */
async function soundTrack(bunny: Bunny, movie: Movie, sound: Sound) {
  if (movie.file === 'mov') {
    const codec = sound.bits === 16 ? 'pcm-s16' : sound.bits === 24 ? 'pcm-s24' : 'pcm-f32';
    return { source: new bunny.AudioSampleSource({ codec }), sound };
  }
  const source = new bunny.AudioSampleSource({ codec: 'opus', quality: bunny.QUALITY_HIGH });
  return { source, sound: await resampled(sound, 48_000) };
}

async function feed(
  bunny: Bunny,
  source: InstanceType<Bunny['AudioSampleSource']>,
  { rate, channels, samples }: Sound,
) {
  const step = 4800 * channels;
  for (let at = 0; at < samples.length; at += step) {
    const sample = new bunny.AudioSample({
      // A copy: of a view the whole buffer behind it would be taken.
      data: samples.slice(at, at + step),
      format: 'f32',
      numberOfChannels: channels,
      sampleRate: rate,
      timestamp: at / channels / rate,
    });
    await source.add(sample);
    sample.close();
  }
  source.close();
}

/** Every frame as a picture, for a server that puts them together. */
export async function pictures(making: Making): Promise<File[]> {
  const files: File[] = [];
  await eachPicture(making, async (canvas, index) => {
    const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
    if (!blob) throw new Error('This browser makes no pictures of what it draws.');
    files.push(new File([blob], `${making.frames.first_frame + index}.png`, { type: 'image/png' }));
  });
  return files;
}
