// Every action once: its name, its key, what it does. Keys, the command search and buttons use these.

import { spotlight } from '@mantine/spotlight';
import { turn } from './api/act';
import { type ControlName, api, queries, tell } from './api/client';
import { turnWiring } from './cast/edit';
import { atRest } from './cast/pose';
import { startWalk, toggleWalk } from './cast/walk';
import { switchCompare } from './score/compare';
import { joinSound, nudge, pinWord, splitSound, takeOut } from './score/correct';
import { soundIsDoubtful, soundOf, soundsOf, wordOf, wordsOf } from './score/draw';
import * as hand from './score/hand';
import { clampView } from './score/layout';
import { openGrid, openLine } from './score/open';
import { MOODS, addMood, blinkHere, liftSpan, nextSpan, removeSpan, shiftSpan } from './score/layers';
import * as player from './score/player';
import { chooseWord } from './score/Staves';
import { perSecond } from './score/time';
import { frameStages, lookFrom } from './stage/StageView';
import { type LayerName, get, go, set } from './state';

export interface Command {
  name: string;
  key?: string;
  /** How the key is shown, where it is not itself. */
  show?: string;
  /** With Shift, for keys whose own sign does not show it. */
  shift?: boolean;
  run: () => void;
}

/** Moves the playhead by whole frames of the production, onto the grid. */
export function stepFrames(count: number) {
  const grid = openGrid();
  if (!grid) return;
  if (get().playing) player.stop();
  const rate = perSecond(grid);
  const frame = Math.floor(get().time * rate + 1e-6) + count;
  player.seek(frame / rate + 1e-6, true);
}

function stepWord(count: number) {
  const line = openLine();
  if (!line) return;
  const words = wordsOf(line);
  const { selected, time } = get();
  const own = words.findIndex((w) => w.id === selected.word);
  const here = own >= 0 ? own : words.findIndex((w) => w.span.end > time) - (count > 0 ? 1 : 0);
  chooseWord(line, Math.max(0, Math.min(words.length - 1, here + count)));
}

function nextDoubtful() {
  const line = openLine();
  if (!line) return;
  const sounds = soundsOf(line);
  const doubtful = sounds.filter((s) => soundIsDoubtful(line, s));
  const next = doubtful.find((s) => s.span.start > get().time + 1e-3) ?? doubtful[0];
  if (!next) return;
  set({ selected: { word: wordsOf(line)[next.word ?? -1]?.id ?? null, sound: next.id } });
  player.seek(next.span.start);
}

/** Loops the selected word, or stops looping. */
export function loopWord() {
  const line = openLine();
  const word = line && wordOf(line, get().selected.word);
  player.loop(get().loop || !word ? null : word.span);
}

function zoom(factor: number) {
  const { view, time } = get();
  const duration = openLine()?.summary.duration ?? view.end;
  const about = Math.max(view.start, Math.min(time, view.end));
  const next = { start: about - (about - view.start) * factor, end: about + (view.end - about) * factor };
  set({ view: clampView(next, duration) });
}

export function fit() {
  set({ view: clampView({ start: 0, end: Infinity }, openLine()?.summary.duration ?? 5) });
}

/** Shows the selected sound or word, with some of what is around it. */
export function fitSelection() {
  const line = openLine();
  if (!line) return;
  const { selected } = get();
  const span = (soundOf(line, selected.sound) ?? wordOf(line, selected.word))?.span;
  if (!span) return;
  const air = Math.max((span.end - span.start) * 0.4, 0.05);
  set({ view: clampView({ start: span.start - air, end: span.end + air }, line.summary.duration) });
}

function stepLine(count: number) {
  const lines = queries.getQueryData<{ id: number }[]>(['lines']) ?? [];
  const next = lines[lines.findIndex((l) => l.id === get().line) + count];
  if (next) go(get().place, next.id);
}

/** Undoes or redoes a step: of the wiring in the Cast, else of the line. */
export function takeBack(what: 'undo' | 'redo') {
  const { line, place, castMember } = get();
  if (place === 'cast') {
    if (castMember) void turnWiring(castMember, what);
  } else if (line) void turn(line, what);
}

/** Moves the chosen keys, or what is selected of words and sounds. */
const shift = (direction: number, frame: boolean) => {
  if (get().keys.length > 0) hand.nudgeKeys(direction, frame);
  else if (chosenSpan()) shiftSpan(direction, frame);
  else nudge(direction, frame);
};

/** Whether a span or blink of a layer is chosen. */
const chosenSpan = () => get().layer?.id != null && get().layer?.name !== 'hand';

/** Chooses every key of the curve that is worked on. */
function allKeys() {
  const { control } = get();
  const touches = hand.touchesOf(openLine()).filter((t) => t.control === control);
  set({ keys: touches.flatMap((t) => t.keys.map((_, key) => ({ touch: t.id, key }))) });
}

/** Chooses the next key of the curve that is worked on, and goes there. */
function nextKey(count: number) {
  const { control, keys, time } = get();
  const all = hand
    .touchesOf(openLine())
    .filter((t) => t.control === control)
    .flatMap((t) => t.keys.map((k, key) => ({ touch: t.id, key, time: k.time })))
    .sort((a, b) => a.time - b.time);
  const here = all.findIndex((k) => keys.some((c) => c.touch === k.touch && c.key === k.key));
  const after = all.findIndex((k) => k.time > time);
  const start = after < 0 ? all.length : after;
  const next = all[here >= 0 ? here + count : count > 0 ? start : start - 1];
  if (!next) return;
  set({ keys: [{ touch: next.touch, key: next.key }] });
  player.seek(next.time + 1e-6);
}

/** Works on the next of the listed curves. */
function nextCurve(count: number) {
  const names = [...document.querySelectorAll<HTMLElement>('[data-value]')].map((e) => e.dataset.value);
  const here = names.indexOf(get().control ?? undefined);
  const next = names[(here + count + names.length) % Math.max(names.length, 1)];
  if (next) set({ control: next as ControlName, keys: [] });
}

/** Shows a layer's bench, or hides it. */
const showLayer = (name: LayerName) =>
  set({ layer: get().layer?.name === name ? null : { name, id: null }, diction: false });

const inCast = () => get().place === 'cast';

export function commands(night: () => void): Command[] {
  return [
    { name: 'Play or stop', key: ' ', show: 'Space', run: () => (inCast() ? toggleWalk() : player.toggle()) },
    { name: 'One frame back', key: ',', run: () => stepFrames(-1) },
    { name: 'One frame on', key: '.', run: () => stepFrames(1) },
    { name: 'Word before', key: 'ArrowLeft', show: '←', run: () => stepWord(-1) },
    { name: 'Next word', key: 'ArrowRight', show: '→', run: () => stepWord(1) },
    { name: 'Loop the selected word, or stop looping', key: 'l', run: loopWord },
    { name: 'Loop a second around the playhead, or stop looping', key: ';', run: () => player.around() },
    { name: 'Next doubtful sound', key: 'd', run: nextDoubtful },
    {
      name: 'Chosen keys, span, or start of the sound or word, 5 ms earlier',
      key: '[',
      run: () => shift(-1, false),
    },
    {
      name: 'Chosen keys, span, or start of the sound or word, 5 ms later',
      key: ']',
      run: () => shift(1, false),
    },
    {
      name: 'Chosen keys, span, or start of the sound or word, a frame earlier',
      key: '{',
      run: () => shift(-1, true),
    },
    {
      name: 'Chosen keys, span, or start of the sound or word, a frame later',
      key: '}',
      run: () => shift(1, true),
    },
    {
      name: 'Take the chosen keys, span or sound out',
      key: 'Delete',
      show: 'Del',
      run: () => {
        if (chosenSpan()) removeSpan();
        else if (get().keys.length > 0) hand.removeKeys();
        else takeOut();
      },
    },
    { name: 'Open or close the mouth’s curves', key: 'q', run: () => set({ open: !get().open, keys: [] }) },
    {
      name: 'A key on the chosen curve at the playhead',
      key: 't',
      run: () => (inCast() ? void startWalk() : hand.keyHere()),
    },
    { name: 'A key at rest on the chosen curve', run: hand.neutralKey },
    {
      name: 'Chosen keys higher, chosen mood stronger',
      key: 'ArrowUp',
      show: '↑',
      run: () => (chosenSpan() ? liftSpan(0.05) : hand.liftKeys(0.02)),
    },
    {
      name: 'Chosen keys lower, chosen mood weaker',
      key: 'ArrowDown',
      show: '↓',
      run: () => (chosenSpan() ? liftSpan(-0.05) : hand.liftKeys(-0.02)),
    },
    { name: 'Copy the chosen keys', key: 'c', run: hand.copyKeys },
    { name: 'Paste keys at the playhead', key: 'v', run: hand.pasteKeys },
    { name: 'Mirror keys to the other side of the face', key: 'm', run: () => void hand.mirror() },
    { name: 'Bake the chosen curve to keys', key: 'b', run: () => void hand.bake() },
    { name: 'Un-bake: the automatic curve comes back', key: 'u', run: () => void hand.unbake() },
    { name: 'Back to automatic', run: () => void hand.backToAutomatic() },
    { name: 'All keys of the chosen curve', key: 'x', run: allKeys },
    { name: 'Next curve', key: 'ArrowDown', show: '⇧↓', shift: true, run: () => nextCurve(1) },
    { name: 'Curve before', key: 'ArrowUp', show: '⇧↑', shift: true, run: () => nextCurve(-1) },
    {
      name: 'Next key of the chosen curve, or span of the layer',
      key: '>',
      run: () => (get().layer ? nextSpan(1) : nextKey(1)),
    },
    {
      name: 'Key before on the chosen curve, or span of the layer',
      key: '<',
      run: () => (get().layer ? nextSpan(-1) : nextKey(-1)),
    },
    { name: 'The stage over the whole page, or as it was', key: '*', run: () => set({ full: !get().full }) },
    { name: 'Keys land on frames, or anywhere', key: 'g', run: () => set({ snap: !get().snap }) },
    {
      name: 'Why the face is as it is here',
      key: 'h',
      run: () => set({ side: get().side === 'why' ? 'line' : 'why' }),
    },
    {
      name: 'Steps and snapshots',
      key: 'p',
      run: () => set({ side: get().side === 'steps' ? 'line' : 'steps' }),
    },
    {
      name: 'Check: what is to be mended',
      key: '5',
      run: () => set({ side: get().side === 'check' ? 'line' : 'check' }),
    },
    { name: 'Mood: the bench', key: '6', run: () => showLayer('mood') },
    { name: 'Eyes: the bench', key: '7', run: () => showLayer('eyes') },
    { name: 'Head: the bench', key: '8', run: () => showLayer('head') },
    { name: 'By hand: passes and poses', key: '9', run: () => showLayer('hand') },
    { name: 'A blink at the playhead', key: '!', run: blinkHere },
    {
      name: 'Point on the stage where they are to look',
      key: '"',
      run: () =>
        set({ pointing: true, diction: false, layer: { name: 'eyes', id: get().layer?.id ?? null } }),
    },
    {
      name: 'Let go of what is chosen or begun',
      key: 'Escape',
      show: 'Esc',
      run: () => {
        const { pointing, layer } = get();
        if (pointing) set({ pointing: false });
        else if (layer) set({ layer: layer.id === null ? null : { ...layer, id: null } });
        else set({ keys: [] });
      },
    },
    ...MOODS.map((mood) => ({ name: `Mood: add ${mood}`, run: () => addMood(mood) })),
    { name: 'The camera keeps to the head, or stands', key: '=', run: () => set({ locked: !get().locked }) },
    { name: 'The face from the front', key: '@', run: () => lookFrom(0) },
    { name: 'The face from its right, three quarters', key: '#', run: () => lookFrom(40) },
    { name: 'The face from its left, three quarters', key: '$', run: () => lookFrom(-40) },
    { name: 'The face from the side', key: '%', run: () => lookFrom(85) },
    { name: 'The mouth, near', key: '&', run: () => lookFrom(0, 0.45) },
    { name: 'Compare: side by side, snapshot, line as it is', key: 'Tab', show: 'Tab', run: switchCompare },
    { name: 'Full speed, half, quarter; the pitch stays', key: '\\', run: player.nextSpeed },
    { name: 'Split the selected sound at the playhead', key: 's', run: splitSound },
    { name: 'Join the selected sound with the next', key: 'j', run: joinSound },
    { name: 'Pin the selected word, or let it move again', key: 'k', run: pinWord },
    {
      name: 'Retype the selected word',
      key: 'e',
      run: () => set({ retyping: get().selected.word !== null }),
    },
    { name: 'To the start of the line', key: 'Home', run: () => player.seek(0) },
    { name: 'To the end of the line', key: 'End', run: () => player.seek(openLine()?.summary.duration ?? 0) },
    { name: 'Closer', key: '+', run: () => zoom(0.7) },
    { name: 'Wider', key: '-', run: () => zoom(1 / 0.7) },
    { name: 'The whole line', key: '0', run: fit },
    { name: 'The selection as wide as the staves', key: 'f', run: fitSelection },
    { name: 'Sounds in IPA or ARPAbet', key: 'i', run: () => set({ ipa: !get().ipa }) },
    { name: 'Line before', key: 'PageUp', show: 'PgUp', run: () => stepLine(-1) },
    { name: 'Next line', key: 'PageDown', show: 'PgDn', run: () => stepLine(1) },
    { name: 'Open the selected line', key: 'Enter', run: () => go('score') },
    { name: 'Add a line', key: 'a', run: () => set({ adding: [] }) },
    {
      name: 'Diction: how the line is articulated',
      key: 'o',
      run: () => set({ diction: !get().diction, layer: null }),
    },
    { name: 'Word list: how words are said', key: 'w', run: () => set({ wordList: true }) },
    {
      name: 'Time the line again, between pinned words',
      run: () => api.analyse(get().line ?? 0).catch(tell),
    },
    { name: 'Undo', key: 'z', run: () => takeBack('undo') },
    { name: 'Redo', key: 'y', run: () => takeBack('redo') },
    { name: 'Go to Lines', key: '1', run: () => go('lines') },
    { name: 'Go to the Score', key: '2', run: () => go('score') },
    { name: 'Go to the Cast', key: '3', run: () => go('cast') },
    { name: 'Go to Deliver', key: '4', run: () => go('deliver') },
    { name: 'Test walk of the character (T in the Cast)', run: () => inCast() && void startWalk() },
    { name: 'Every sound on the character', run: () => inCast() && void startWalk('sound') },
    {
      name: 'The face in the picture; in the Cast, the character at rest',
      key: 'r',
      run: () => (inCast() ? atRest(get().castMember) : frameStages()),
    },
    { name: 'Night or day', key: 'n', run: night },
    { name: 'Every action with its key', key: '?', run: () => set({ keyMap: true }) },
    { name: 'Find a command', key: '/', run: spotlight.open },
  ];
}

/** Hears the keys of all commands while nothing is being typed. */
export function listen(night: () => void) {
  const all = commands(night);
  const down = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const target = event.target as HTMLElement;
    const typing = target.closest(
      'input:not([type=range], [type=checkbox]), textarea, select, [contenteditable="true"], [role="dialog"]',
    );
    if (typing) return;
    // A slider keeps the keys that move it.
    if (target.closest('input[type=range]') && /^(Arrow|Home|End|Page)/.test(event.key)) return;
    // A focused button keeps its own keys.
    if (target.closest('button, a') && event.key === 'Enter') return;
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const named = all.filter((c) => c.key === key);
    const command = named.find((c) => Boolean(c.shift) === event.shiftKey) ?? named.find((c) => !c.shift);
    if (!command) return;
    // Tab goes on through the page unless something is compared.
    if (key === 'Tab' && !get().compare) return;
    event.preventDefault();
    command.run();
  };
  window.addEventListener('keydown', down);
  return () => window.removeEventListener('keydown', down);
}
