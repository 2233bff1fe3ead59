// Everything that is asked of the server, typed by its own description.

import { CancelledError, type FetchQueryOptions, QueryClient } from '@tanstack/react-query';
import { useSyncExternalStore } from 'react';
import type { components } from './schema';

type Schemas = components['schemas'];
export type Production = Schemas['ProductionView'];
export type ProductionOp = Schemas['ProductionOp'];
export type CastMember = Schemas['CastView'];
export type LineSummary = Schemas['LineSummary'];
export type LineView = Schemas['LineView'];
export type Op = Schemas['Op'];
export type OperationView = Schemas['OperationView'];
export type Voice = Schemas['VoiceView'];
export type Word = Schemas['Word'];
export type Sound = Schemas['Sound'];
export type Job = Schemas['Job'];
export type Batch = Schemas['Batch'];
export type IdleDoes = Schemas['IdleDoes'];
export type SendState = Schemas['SendState'];
export type SendOrder = Schemas['SendOrder'];
export type Intake = Schemas['IntakeView'];
export type Columns = Intake['columns'];
export type ProposedLine = Schemas['ProposedLine'];
export type ScriptLine = Schemas['ScriptLineView'];
export type ScriptFound = Schemas['ScriptView'];
export type LinesChange = Schemas['LinesChange'];
export type Delivery = Schemas['DeliveryView'];
export type Recipe = Schemas['Recipe'];
export type FileKind = Schemas['FileKind'];
export type DeliveryChoices = Schemas['DeliveryChoices'];
export type Motion = Schemas['MotionView'];
export type MotionOrder = Schemas['MotionOrder'];
export type Laid = Schemas['Laid'];
export type Movie = Schemas['Movie'];
export type Frames = Schemas['FramesView'];
export type SceneSummary = Schemas['SceneSummary'];
export type SceneView = Schemas['SceneView'];
export type SceneTurn = Schemas['TurnView'];
export type SceneActor = Schemas['ActorView'];
export type SceneOp = Schemas['SceneOp'];
export type Reaction = Schemas['Shown'];
export type Compared = Schemas['ComparedView'];
export type Grid = Schemas['FrameGrid'];
export type Output = Schemas['Output'];
export type Feed = Schemas['Feed'];
export type Target = Schemas['Target'];
export type WiringOp = Schemas['WiringOp'];
export type Chart = Schemas['Chart'];
export type Shapes = Schemas['ShapesView'];
export type ShapesOrder = Schemas['ShapesOrder'];
export type Sculpt = Schemas['SculptView'];
export type ShapeStroke = Schemas['ShapeStroke'];
export type ShapeChange = Schemas['ShapeMoves'];
export type ShapeOp = Schemas['ShapeOp'];
export type SplitBy = Schemas['SplitShapeBy'];
export type Hold = Schemas['HoldView'];
export type FaceRegion = Schemas['FaceRegion'];
export type Landmarks = Schemas['Landmarks'];
export type LandmarkName = Schemas['Landmark'];
export type CastDetail = Schemas['CastDetail'];
export type Vocabulary = Schemas['Vocabulary'];
export type ControlView = Schemas['ControlView'];
export type ControlName = Schemas['ControlName'];
export type Match = Schemas['Match'];
export type Correction = Schemas['Correction'];
export type Phone = Schemas['Phone'];
export type Listen = Schemas['Listen'];
export type Noise = Schemas['Noise'];
export type Take = Schemas['TakeView'];
export type Ways = Schemas['WaysView'];
export type SaidAs = Schemas['SaidAsView'];
export type Languages = Schemas['LanguagesView'];
export type Draft = Schemas['Draft'];
export type Diction = Schemas['Diction'];

export type Touch = Schemas['TouchView'];
export type TouchChange = Schemas['TouchChange'];
export type TimedKey = Schemas['TimedKey'];
export type KeyShape = Schemas['KeyShape'];
export type ReachOf = Schemas['ReachOf'];
export type Cause = Schemas['CauseView'];
export type Layers = Schemas['LayersView'];
export type LayerSettings = Layers['settings'];
export type Acting = Layers['moods'][number]['does'];
export type Look = Layers['looks'][number]['does'];
export type HeadMove = Layers['moves'][number]['does'];
export type Mood = Schemas['Mood'];
export type BlinkShape = Schemas['BlinkShape'];
export type Finding = Schemas['FindingView'];
export type Suggestion = Schemas['Suggestion'];
export type Pose = Schemas['Pose'];
export type Pad = Schemas['Pad'];
export type RegionName = Schemas['Region'];

/** Whether a word or a sound is shown as doubtful; the same limit as `DOUBTFUL` in core/score. */
export const isDoubtful = (what: { confidence: number; pinned?: boolean; unread?: string }) =>
  (what.confidence < 0.5 || Boolean(what.unread)) && !what.pinned;

/** A phone in the International Phonetic Alphabet, as soon as the vocabulary is there. */
export const ipaOf = (phone: string) => queries.getQueryData<Vocabulary>(['vocabulary'])?.ipa[phone] ?? phone;

/** Every phone with its sign in the International Phonetic Alphabet. */
export const phones = () => Object.entries(queries.getQueryData<Vocabulary>(['vocabulary'])?.ipa ?? {});

/** Whether a line has times that belong to it, with its text or as it was heard. */
export const speaks = (line: { state: LineSummary['state'] }) =>
  line.state === 'timed' || line.state === 'heard';

/** Whether something is said in a line and nobody has written what. */
export const lacksText = (line: Pick<LineSummary, 'text' | 'idle'>) => line.text === '' && !line.idle;

/** A question that names the times which are here: of them only what changed is sent. */
const having = (times?: string | null) => (times ? `?times=${times}` : '');

const wordPath = (word: string, language: string | null | undefined) =>
  `/api/words/${encodeURIComponent(word)}${language ? `?language=${language}` : ''}`;

export const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 60_000, retry: 1, refetchOnWindowFocus: false } },
});

/** What a query gives. An answer that was dropped because something changed meanwhile is asked for anew. */
export async function fetched<T>(query: FetchQueryOptions<T>): Promise<T> {
  for (;;) {
    try {
      return await queries.fetchQuery(query);
    } catch (error) {
      if (!(error instanceof CancelledError)) throw error;
    }
  }
}

/** A refusal in the server's own words. */
export class Refused extends Error {
  constructor(
    message: string,
    /** For programs: `changed_meanwhile`; none if nobody answered. */
    readonly code: string | null = null,
  ) {
    super(message);
  }
}

/** Whether others changed the same meanwhile. */
export const isMeanwhile = (error: unknown) => error instanceof Refused && error.code === 'changed_meanwhile';

/** Changes that were sent and are not known to be on the disk, and whether one never got there. */
let sending = 0;
let unsent = false;
const watchers = new Set<() => void>();
function note(more: number, failed: boolean) {
  sending += more;
  unsent = failed;
  watchers.forEach((w) => w());
}
const watch = (watcher: () => void) => {
  watchers.add(watcher);
  return () => watchers.delete(watcher);
};

/** Whether everything that was sent is on the disk. */
export const useSaved = () =>
  useSyncExternalStore(watch, () => (sending > 0 ? 'sending' : unsent ? 'unsent' : 'saved'));

async function ask<T>(path: string, options?: RequestInit): Promise<T> {
  if (!options) return get<T>(path);
  note(1, unsent);
  try {
    const answer = await get<T>(path, options);
    note(-1, false);
    return answer;
  } catch (error) {
    // What was refused was never promised; what nobody answered may be lost.
    note(-1, error instanceof Refused && error.code === null);
    throw error;
  }
}

const bytesOf = async (path: string) => (await answer(path)).arrayBuffer();

async function get<T>(path: string, options?: RequestInit): Promise<T> {
  const response = await answer(path, options);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

/** The server's answer, or its refusal. */
async function answer(path: string, options?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, options);
  } catch {
    throw new Refused('The server does not answer; see whether jamlips still runs, then try again.');
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as { detail?: string; code?: string } | null;
    throw new Refused(
      problem?.detail ?? `The server answered ${response.status}.`,
      problem?.code ?? 'unknown',
    );
  }
  return response;
}

/** The header that says which revision of a line a request was made on. */
const madeOn = (revision?: number): Record<string, string> =>
  revision === undefined ? {} : { 'if-match': `"${revision}"` };

const send = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify(body),
});

/** The same, of what was made on a state that was seen. */
const sendOn = (method: string, body: unknown, seen?: number): RequestInit => ({
  ...send(method, body),
  headers: { 'content-type': 'application/json', ...madeOn(seen) },
});

function form(parts: Record<string, string | File | File[] | null>): RequestInit {
  const data = new FormData();
  for (const [name, part] of Object.entries(parts)) {
    for (const one of Array.isArray(part) ? part : [part]) if (one) data.append(name, one);
  }
  return { method: 'POST', body: data };
}

export const api = {
  production: () => ask<Production>('/api/production'),
  produce: (op: ProductionOp) => ask<Schemas['ProducedView']>('/api/production/operations', send('POST', op)),
  turnProduction: (way: 'undo' | 'redo') =>
    ask<Schemas['ProducedView']>(`/api/production/${way}`, { method: 'POST' }),
  bringDemo: () => ask<Production>('/api/demo', { method: 'POST' }),
  cast: () => ask<CastMember[]>('/api/cast'),
  vocabulary: () => ask<Vocabulary>('/api/vocabulary'),
  castMember: (id: number) => ask<CastDetail>(`/api/cast/${id}`),
  shapes: (id: number) => ask<Shapes>(`/api/cast/${id}/shapes`),
  makeShapes: (id: number, order: ShapesOrder) => ask<Shapes>(`/api/cast/${id}/shapes`, send('POST', order)),
  sculpt: (id: number) => ask<Sculpt>(`/api/cast/${id}/sculpt`),
  hold: (id: number, stroke: ShapeStroke) => ask<Hold>(`/api/cast/${id}/sculpt/hold`, send('POST', stroke)),
  tryStroke: (id: number, stroke: ShapeStroke) =>
    ask<ShapeChange[]>(`/api/cast/${id}/sculpt/tries`, send('POST', stroke)),
  stroke: (id: number, stroke: ShapeStroke, gesture: string | undefined, seen?: number) =>
    ask<Schemas['StrokeMade']>(`/api/cast/${id}/sculpt/strokes`, sendOn('POST', { stroke, gesture }, seen)),
  reshape: (id: number, op: ShapeOp, gesture: string | undefined, seen?: number) =>
    ask<CastDetail>(`/api/cast/${id}/sculpt/operations`, sendOn('POST', { op, gesture }, seen)),
  cancelShapes: (id: number) => ask<Shapes>(`/api/cast/${id}/shapes`, { method: 'DELETE' }),
  addCharacter: (name: string, model: File[]) => ask<CastDetail>('/api/cast', form({ name, model })),
  rewire: (id: number, op: WiringOp, gesture: string | undefined, revision?: number) =>
    ask<CastDetail>(`/api/cast/${id}/operations`, sendOn('POST', { op, gesture }, revision)),
  importWiring: async (id: number, file: File, revision?: number) =>
    ask<CastDetail>(`/api/cast/${id}/wiring`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...madeOn(revision) },
      body: await file.text(),
    }),
  duplicate: (id: number, name: string) =>
    ask<CastDetail>(`/api/cast/${id}/duplicate`, send('POST', { name })),
  turnWiring: (id: number, way: 'undo' | 'redo', revision?: number) =>
    ask<CastDetail>(`/api/cast/${id}/${way}`, { method: 'POST', headers: madeOn(revision) }),
  pose: (id: number, controls: Record<string, number>, mouth: string | null) =>
    ask<{ values: number[] }>(`/api/cast/${id}/pose`, send('POST', { controls, mouth })),
  lines: () => ask<LineSummary[]>('/api/lines'),
  line: (id: number, times?: string | null) => ask<LineView>(`/api/lines/${id}${having(times)}`),
  addLine: (recording: File, text: string, language: string, character: string | null) =>
    ask<LineView>('/api/lines', form({ recording, text, language, character })),
  addIdle: (order: Schemas['IdleOrder']) => ask<LineView>('/api/lines/idle', send('POST', order)),
  /** One of many that come in together. */
  addOneOf: (recording: File, line: ProposedLine) =>
    ask<LineView>(
      '/api/lines',
      form({
        recording,
        text: line.text ?? null,
        language: line.language ?? null,
        character: line.character ?? null,
        name: line.name ?? null,
        moods: line.moods.join(' '),
        first_frame: line.first_frame == null ? null : String(line.first_frame),
        many: 'true',
      }),
    ),
  intake: (recordings: string[], files: { path: string; file: File }[], columns: Columns | null) => {
    const data = new FormData();
    data.append('recordings', JSON.stringify(recordings));
    if (columns) data.append('columns', JSON.stringify(columns));
    for (const { path, file } of files) data.append('file', file, path);
    return ask<Intake>('/api/lines/intake', { method: 'POST', body: data });
  },
  matchScript: (text: string) => ask<ScriptFound>('/api/lines/script', send('POST', { text })),
  draftLines: (ids: number[]) => ask<Batch>('/api/lines/draft', send('POST', { ids })),
  analyseLines: (ids: number[]) => ask<Batch>('/api/lines/analyse', send('POST', { ids })),
  checkLines: (ids: number[]) => ask<Batch>('/api/lines/check', send('POST', { ids })),
  batch: () => ask<Batch>('/api/batch'),
  pauseBatch: (paused: boolean) => ask<Batch>('/api/batch', send('PUT', { paused })),
  cancelBatch: () => ask<Batch>('/api/batch', { method: 'DELETE' }),
  sending: () => ask<SendState>('/api/sending'),
  send: (order: SendOrder) => ask<SendState>('/api/sending', send('PUT', order)),
  sendNowhere: () => ask<SendState>('/api/sending', { method: 'DELETE' }),
  voice: (id: number) => ask<Voice>(`/api/lines/${id}/voice`),
  operate: (id: number, op: Op, gesture: string | undefined, revision?: number, times?: string | null) =>
    ask<OperationView>(`/api/lines/${id}/operations`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...madeOn(revision) },
      body: JSON.stringify({ op, gesture, times }),
    }),
  analyse: (id: number) => ask<Job>(`/api/lines/${id}/analyse`, { method: 'POST' }),
  textOf: async (file: File) =>
    ask<string>('/api/text', {
      method: 'POST',
      headers: { 'content-type': 'text/plain' },
      body: await file.arrayBuffer(),
    }),
  ways: (id: number, word: number) => ask<Ways>(`/api/lines/${id}/words/${word}/ways`),
  dictions: () => ask<Schemas['DictionView']>('/api/diction'),
  cause: (id: number, time: number, controls: string[]) =>
    ask<Cause[]>(`/api/lines/${id}/cause?time=${time}&controls=${controls.join(',')}`),
  keepSnapshot: (id: number, name: string) =>
    ask<LineView>(`/api/lines/${id}/snapshots`, send('POST', { name })),
  forget: (id: number, snapshot: number) =>
    ask<LineView>(`/api/lines/${id}/snapshots/${snapshot}`, { method: 'DELETE' }),
  body: async (id: number, file: File | null) =>
    ask<LineView>(`/api/lines/${id}/body`, {
      method: 'PUT',
      headers: { 'content-type': 'text/plain', 'x-file-name': encodeURIComponent(file?.name ?? '') },
      body: file ? await file.arrayBuffer() : '',
    }),
  findings: (id: number) => ask<Finding[]>(`/api/lines/${id}/findings`),
  feelings: (id: number) => ask<Suggestion[]>(`/api/lines/${id}/feelings`),
  pads: () => ask<Pad[]>('/api/pads'),
  poses: () => ask<Pose[]>('/api/poses'),
  keepPose: (name: string, line: number, time: number, regions: RegionName[]) =>
    ask<Pose[]>(`/api/poses/${encodeURIComponent(name)}`, send('PUT', { line, time, regions })),
  keepMix: (pose: Pose) => ask<Pose[]>('/api/poses', send('PUT', pose)),
  forgetPose: (name: string) => ask<Pose[]>(`/api/poses/${encodeURIComponent(name)}`, { method: 'DELETE' }),
  curveSets: () => ask<Schemas['CurveSet'][]>('/api/curve-sets'),
  keepCurveSet: (name: string, controls: ControlName[]) =>
    ask<Schemas['CurveSet'][]>('/api/curve-sets', send('PUT', { name, controls })),
  addFilm: (id: number, film: File) => ask<LineView>(`/api/lines/${id}/film`, form({ film })),
  bringIn: (file: File) => ask<{ lines: number; characters: number }>('/api/production/file', form({ file })),
  motion: (id: number, motion: File, order: MotionOrder, revision?: number) =>
    ask<Motion>(`/api/lines/${id}/motion`, {
      ...form({ motion, order: JSON.stringify(order) }),
      headers: madeOn(revision),
    }),
  addTake: (id: number, recording: File, heard?: number | null) =>
    ask<LineView>(`/api/lines/${id}/takes`, form({ recording, heard: heard == null ? null : String(heard) })),
  /** Drafts what a line says, or a stretch of it. */
  draft: (id: number, part?: { start: number; end: number }) =>
    ask<Draft>(`/api/lines/${id}/draft${part ? `?from=${part.start}&to=${part.end}` : ''}`, {
      method: 'POST',
    }),
  words: () => ask<SaidAs[]>('/api/words'),
  setWord: (word: string, sounds: string, language: string | null | undefined) =>
    ask<SaidAs[]>(wordPath(word, language), send('PUT', { sounds })),
  removeWord: ({ word, language }: SaidAs) => ask<SaidAs[]>(wordPath(word, language), { method: 'DELETE' }),
  /** Languages that lines can be in, and what writes their sounds. */
  languages: () => ask<Languages>('/api/languages'),
  /** A text with the sounds of its words behind them. */
  sounds: (text: string, language: string) =>
    ask<Schemas['SoundsView']>('/api/sounds', send('POST', { text, language })),
  readTiers: async (id: number, file: File) =>
    ask<LineView>(`/api/lines/${id}/tiers`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain' },
      body: await file.arrayBuffer(),
    }),
  undo: (id: number, revision?: number, times?: string | null) =>
    ask<LineView>(`/api/lines/${id}/undo${having(times)}`, { method: 'POST', headers: madeOn(revision) }),
  redo: (id: number, revision?: number, times?: string | null) =>
    ask<LineView>(`/api/lines/${id}/redo${having(times)}`, { method: 'POST', headers: madeOn(revision) }),
  jobs: () => ask<Job[]>('/api/jobs'),
  cancel: (id: number) => ask<undefined>(`/api/jobs/${id}`, { method: 'DELETE' }),
  scenes: () => ask<SceneSummary[]>('/api/scenes'),
  scene: (id: number) => ask<SceneView>(`/api/scenes/${id}`),
  sceneCurves: (id: number) => bytesOf(`/api/scenes/${id}/curves`),
  sceneWav: (id: number) => bytesOf(`/api/scenes/${id}/wav`),
  deliverScene: (id: number, recipe: Recipe) =>
    ask<Job[]>(`/api/scenes/${id}/deliver`, send('POST', { recipe })),
  keepSceneMovie: (id: number, movie: File, recipe: Recipe) =>
    ask<undefined>(`/api/scenes/${id}/movie`, form({ movie, recipe: JSON.stringify(recipe) })),
  keepScenePictures: (id: number, picture: File[], recipe: Recipe) =>
    ask<undefined>(`/api/scenes/${id}/pictures`, form({ picture, recipe: JSON.stringify(recipe) })),
  deliveries: () => ask<Delivery[]>('/api/deliveries'),
  deliveryChoices: () => ask<DeliveryChoices>('/api/deliveries/choices'),
  deliver: (lines: number[], recipe: Recipe, only_changed: boolean) =>
    ask<Job[]>('/api/deliveries', send('POST', { lines, recipe, only_changed })),
  deliveryNames: (line: number, recipe: Recipe) =>
    ask<Schemas['NamePreview']>('/api/deliveries/names', send('POST', { line, recipe })),
  deliveryPreview: (line: number, kind: FileKind, recipe: Recipe) =>
    ask<Schemas['PreviewFile'][]>('/api/deliveries/preview', send('POST', { line, kind, recipe })),
  compared: (id: number) => ask<Compared>(`/api/deliveries/${id}/compare`),
  sheet: (id: number) => ask<Schemas['SheetView']>(`/api/lines/${id}/sheet`),
  frames: (id: number, recipe: Recipe) => ask<Frames>(`/api/lines/${id}/frames`, send('POST', { recipe })),
  wav: (id: number) => bytesOf(`/api/lines/${id}/wav`),
  keepMovie: (id: number, movie: File, recipe: Recipe) =>
    ask<Delivery>(`/api/lines/${id}/movie`, form({ movie, recipe: JSON.stringify(recipe) })),
  keepPictures: (id: number, picture: File[], recipe: Recipe) =>
    ask<Delivery>(`/api/lines/${id}/pictures`, form({ picture, recipe: JSON.stringify(recipe) })),
};

/** What went wrong, as a sentence. */
export const sentence = (error: unknown) => (error instanceof Error ? error.message : String(error));
