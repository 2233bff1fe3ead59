// What every action of `keys.ts` does, and the keys heard on the page.

import { type HotkeyItem, useHotkeys } from '@mantine/hooks';
import { spotlight } from '@mantine/spotlight';
import { useEffect } from 'react';
import { turn } from './api/act';
import { type ControlName, api, queries } from './api/client';
import { tell } from './widgets/tell';
import { turnProduction } from './api/production';
import { turnWiring } from './cast/edit';
import { atRest } from './cast/pose';
import { toggleWalk } from './cast/walk';
import { type CommandId, type Entry, TABLE } from './keys';
import { isSafe } from './widgets/Key';
import * as clipboard from './score/clipboard';
import { choose, chooseKeys, chosenKeys, chosenSpan, theWord } from './score/chosen';
import { switchCompare } from './score/compare';
import { joinSound, nudge, pinWords, splitSound } from './score/correct';
import { deleteChosen } from './score/deleting';
import * as hand from './score/hand';
import { blinkHere, inOrder, liftSpans, nextSpan, shiftSpans } from './score/layers';
import { soundIsDoubtful, soundsOf, wordsOf } from './score/line';
import { openGrid, openLine, openScene } from './score/open';
import * as player from './score/player';
import { clampView } from './score/staves/axis';
import { listedNow } from './score/staves/listed';
import { perSecond } from './score/time';
import { remember, settings, useSettings } from './settings';
import * as scene from './scene/actions';
import { lengthOf, strip } from './scene/data';
import { frameStages, lookFrom } from './stage/stages';
import { type Bench, type LayerName, type Place, get, go, set } from './state';
import { turnColours } from './theme/colours';

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
  const { chosen, time } = get();
  const own = words.findIndex((w) => w.id === theWord(line, chosen)?.id);
  const here = own >= 0 ? own : words.findIndex((w) => w.span.end > time) - (count > 0 ? 1 : 0);
  const next = words[Math.max(0, Math.min(words.length - 1, here + count))];
  if (!next) return;
  choose({ what: 'words', ids: [next.id] });
  player.seek(next.span.start);
}

function nextDoubtful() {
  const line = openLine();
  if (!line) return;
  const doubtful = soundsOf(line).filter((s) => soundIsDoubtful(line, s));
  const next = doubtful.find((s) => s.span.start > get().time + 1e-3) ?? doubtful[0];
  if (!next) return;
  choose({ what: 'sounds', ids: [next.id] }, 'word');
  player.seek(next.span.start);
}

/** Loops the range that was looped last or what is chosen, or stops looping. */
export function toggleLoop() {
  const line = openLine();
  if (!line) return;
  if (get().loop) player.loop(null);
  else player.loop(chosenSpan(line, get().chosen) ?? player.lastLoop());
}

export function zoom(factor: number) {
  const { view, time } = get();
  const duration = openLine()?.summary.duration ?? view.end;
  const about = Math.max(view.start, Math.min(time, view.end));
  const next = { start: about - (about - view.start) * factor, end: about + (view.end - about) * factor };
  set({ view: clampView(next, duration) });
}

export function fit() {
  set({ view: clampView({ start: 0, end: Infinity }, openLine()?.summary.duration ?? 5) });
}

/** Shows what is chosen, with some of what is around it. */
function fitChosen() {
  const line = openLine();
  const span = line && chosenSpan(line, get().chosen);
  if (!span) return;
  const air = Math.max((span.end - span.start) * 0.4, 0.05);
  set({ view: clampView({ start: span.start - air, end: span.end + air }, line.summary.duration) });
}

function stepLine(count: number) {
  const lines = queries.getQueryData<{ id: number }[]>(['lines']) ?? [];
  const next = lines[lines.findIndex((l) => l.id === get().line) + count];
  if (next) go(get().place, next.id);
}

/** Undoes or redoes a step: of the wiring in the Cast, of the line on the score, else of the production as a whole. */
export function takeBack(what: 'undo' | 'redo') {
  const { line, place, castMember } = get();
  if (place === 'cast') {
    if (castMember) void turnWiring(castMember, what);
  } else if (place === 'score') {
    if (line) void turn(line, what);
  } else void turnProduction(what);
}

/** Moves what is chosen: keys, spans, or words and starts of sounds. */
function shift(direction: number, frame: boolean) {
  const { chosen } = get();
  if (chosen?.what === 'keys') hand.nudgeKeys(direction, frame);
  else if (chosen?.what === 'spans') shiftSpans(direction, frame);
  else nudge(direction, frame);
}

const lift = (by: number) =>
  get().chosen?.what === 'spans' ? liftSpans(by > 0 ? 0.05 : -0.05) : hand.liftKeys(by);

/** Chooses everything of the kind that is chosen: keys of the curves, spans of the layer, sounds, else words. */
function chooseAll() {
  const line = openLine();
  if (!line) return;
  const { chosen, open, bench } = get();
  if (chosen?.what === 'spans') choose({ ...chosen, ids: inOrder(line, chosen.layer) });
  else if (chosen?.what === 'sounds') {
    choose({ what: 'sounds', ids: soundsOf(line).flatMap((s) => (s.phone === 'SIL' ? [] : [s.id])) });
  } else if (chosen?.what === 'keys' || (open && chosen === null)) allKeys();
  else if (chosen === null && isLayer(bench)) {
    choose({ what: 'spans', layer: bench, ids: inOrder(line, bench) });
  } else choose({ what: 'words', ids: wordsOf(line).map((w) => w.id) });
}

const isLayer = (bench: Bench): bench is LayerName => /^(mood|eyes|head|hand)$/.test(bench);

/** Chooses all keys of the curves that are worked on, or of every listed one. */
function allKeys() {
  const { curves } = get();
  const of = curves.length > 0 ? curves : listedNow();
  chooseKeys(
    hand
      .touchesOf(openLine())
      .filter((t) => of.includes(t.control))
      .flatMap((t) => t.keys.map((_, key) => ({ touch: t.id, key }))),
  );
}

/** Chooses the next key of the curves that are worked on, or the next span. */
function nextThing(count: number) {
  const { chosen, bench, curves, time } = get();
  if (chosen?.what === 'spans') return nextSpan(chosen.layer, count);
  if (chosen?.what !== 'keys' && isLayer(bench)) return nextSpan(bench, count);
  const keys = chosenKeys();
  const all = hand
    .touchesOf(openLine())
    .filter((t) => curves.length === 0 || curves.includes(t.control))
    .flatMap((t) => t.keys.map((k, key) => ({ touch: t.id, key, time: k.time })))
    .sort((a, b) => a.time - b.time);
  const here = all.findIndex((k) => keys.some((c) => c.touch === k.touch && c.key === k.key));
  const after = all.findIndex((k) => k.time > time);
  const start = after < 0 ? all.length : after;
  const next = all[here >= 0 ? here + count : count > 0 ? start : start - 1];
  if (!next) return;
  chooseKeys([{ touch: next.touch, key: next.key }]);
  player.seek(next.time + 1e-6);
}

/** Works on the next of the listed curves. */
function nextCurve(count: number) {
  const names = listedNow();
  const here = names.indexOf(get().curves.at(-1) as ControlName);
  const next = names[(here + count + names.length) % Math.max(names.length, 1)];
  if (!next) return;
  set({ curves: [next], bench: 'curve' });
  if (chosenKeys().length > 0) choose(null);
}

/** Opens a bench, or goes back from it to what is chosen. */
const bench = (name: Bench) => () => {
  const back: Bench = get().chosen?.what === 'words' || get().chosen?.what === 'sounds' ? 'word' : 'line';
  set({ bench: get().bench === name ? back : name });
};

function none() {
  if (onScene()) return strip({ chosen: null });
  const { pointing, chosen, keyMap } = get();
  if (keyMap) set({ keyMap: false });
  else if (pointing) set({ pointing: false });
  else if (chosen) choose(null);
  else set({ curves: [] });
}

const onScene = () => get().place === 'scene';

/** Where the line or the scene ends. */
function end(): number {
  const open = openScene();
  if (onScene()) return open ? lengthOf(open) : 0;
  return openLine()?.summary.duration ?? 0;
}

const NEXT = { small: 'large', large: 'off', off: 'small' } as const;

const RUN: Record<CommandId, () => void> = {
  play: player.toggle,
  walk: toggleWalk,
  frameBack: () => stepFrames(-1),
  frameOn: () => stepFrames(1),
  loop: toggleLoop,
  loopIn: player.loopIn,
  loopOut: player.loopOut,
  loopAround: () => player.around(),
  speed: player.nextSpeed,
  mute: () => remember({ muted: !settings().muted }),
  start: () => player.seek(0),
  end: () => player.seek(end()),
  wordBefore: () => stepWord(-1),
  wordNext: () => stepWord(1),
  doubtful: nextDoubtful,
  thingBefore: () => nextThing(-1),
  thingNext: () => nextThing(1),
  closer: () => (onScene() ? scene.zoomStrip(1 / 0.7) : zoom(0.7)),
  wider: () => (onScene() ? scene.zoomStrip(0.7) : zoom(1 / 0.7)),
  whole: () => (onScene() ? strip({ zoom: 1 }) : fit()),
  fitChosen,
  lineBefore: () => stepLine(-1),
  lineNext: () => stepLine(1),
  openLine: () => go('score'),
  undo: () => takeBack('undo'),
  redo: () => takeBack('redo'),
  all: chooseAll,
  none,
  copy: () => clipboard.copy(),
  cut: () => {
    if (clipboard.copy()) deleteChosen();
  },
  paste: () => clipboard.paste(),
  delete: () => (onScene() ? scene.deleteChosen() : deleteChosen()),
  earlier: () => (onScene() ? scene.moveChosenFrames(-1) : shift(-1, true)),
  later: () => (onScene() ? scene.moveChosenFrames(1) : shift(1, true)),
  earlierFine: () => shift(-1, false),
  laterFine: () => shift(1, false),
  higher: () => lift(0.02),
  lower: () => lift(-0.02),
  snap: () => set({ snap: !get().snap }),
  split: splitSound,
  join: joinSound,
  pin: pinWords,
  retype: () => {
    const line = openLine();
    if (line && theWord(line, get().chosen)) set({ bench: 'word', retyping: true });
  },
  ipa: () => remember({ ipa: !settings().ipa }),
  timeAgain: () => void api.analyse(get().line ?? 0).catch(tell),
  openStave: () => {
    if (get().open && chosenKeys().length > 0) choose(null);
    set({ open: !get().open });
  },
  keyHere: () => hand.keyHere(),
  keyRest: hand.keyRest,
  keyAll: hand.keyAll,
  allKeys,
  curveNext: () => nextCurve(1),
  curveBefore: () => nextCurve(-1),
  mirror: () => void hand.mirror(),
  bake: () => void hand.bake(),
  unbake: () => void hand.unbake(),
  automatic: () => void hand.backToAutomatic(),
  blink: () => blinkHere(),
  point: () => set({ pointing: true, bench: 'eyes' }),
  front: () => lookFrom('front'),
  right: () => lookFrom('right'),
  left: () => lookFrom('left'),
  side: () => lookFrom('side'),
  mouth: () => lookFrom('mouth'),
  frame: frameStages,
  rest: () => atRest(get().castMember),
  two: () => remember({ two: !settings().two }),
  light: () => remember({ sideLight: !settings().sideLight }),
  lock: () => set({ locked: !get().locked }),
  closeUp: () => remember({ closeUp: NEXT[settings().closeUp] }),
  burnIn: () => remember({ burnIn: !settings().burnIn }),
  full: () => set({ full: !get().full }),
  compare: switchCompare,
  benchLine: bench('line'),
  benchWord: bench('word'),
  benchDiction: bench('diction'),
  benchMood: bench('mood'),
  benchEyes: bench('eyes'),
  benchHead: bench('head'),
  benchHand: bench('hand'),
  benchCurve: bench('curve'),
  benchWhy: bench('why'),
  benchCheck: bench('check'),
  benchSteps: bench('steps'),
  goLines: () => go('lines'),
  goScore: () => go('score'),
  goScene: () => go('scene'),
  goCast: () => go('cast'),
  goDeliver: () => go('deliver'),
  addLine: () => set({ adding: [] }),
  wordList: () => set({ wordList: true }),
  night: turnColours,
  guide: () => {
    go('score');
    remember({ guide: 0 });
  },
  keyMap: () => set({ keyMap: true }),
  find: spotlight.open,
};

/** Gives a command. */
export const give = (id: CommandId) => {
  const run: () => void = RUN[id];
  run();
};

/** Whether a command acts in a place. */
export const actsIn = (entry: Entry, place: Place) => !entry.at || entry.at.includes(place);

/** Whether what is focused keeps a key for itself, as it does on every page. */
function keeps(target: HTMLElement, key: string, event: KeyboardEvent): boolean {
  if (target.closest('[role="dialog"]')) return true;
  if (target.closest('[role="menu"]') && !/Mod/.test(key)) return true;
  if (target.closest('textarea, [contenteditable="true"]')) return true;
  // A list has nothing of its own to undo or copy.
  if (target.closest('select')) return !/Mod/.test(key);
  const input = target.closest('input');
  if (input && !/^(checkbox|radio|range|file|button)$/.test(input.type)) return true;
  const pressable =
    'button, a, summary, input, [role="tab"], [role="option"], [role="checkbox"], [role="switch"], [role="button"]';
  if (/^(Space|Enter)$/.test(key)) return Boolean(target.closest(pressable));
  if (key === 'Tab') return true;
  const moved =
    '[role="slider"], [role="tablist"], [role="radiogroup"], [role="listbox"], input[type="radio"]';
  if (/^(Arrow|Home|End|Page)/.test(event.key)) return Boolean(target.closest(moved)) && !/Mod/.test(key);
  return false;
}

/** The keys that a command has now. */
function keysOf(entry: Entry): string[] {
  const { keys, singleKeys } = settings();
  return (keys[entry.id as CommandId] ?? entry.keys).filter((key) => singleKeys || isSafe(key));
}

function hear(key: string, event: KeyboardEvent) {
  if (keeps(event.target as HTMLElement, key, event)) return;
  // A text that is marked is copied as it is everywhere.
  if (key === 'Mod+C' && !getSelection()?.isCollapsed) return;
  const { place } = get();
  const found = TABLE.find((entry) => actsIn(entry, place) && keysOf(entry).includes(key));
  if (!found) return;
  event.preventDefault();
  give(found.id);
}

/** A key in the library's writing; signs with and without the Shift that some layouts need for them. */
function written(key: string): string[] {
  const own = key.replace(/\+$/, '[plus]').replace('Mod', 'mod').replace('Shift', 'shift');
  const sign = key.length === 1 && !/[A-Z]/.test(key);
  return sign ? [own, `shift+${own}`] : [own];
}

/** Buttons, tabs and what is only passed by (`data-passing`) do not, once they were pressed with the pointer, hold the keyboard: Space then plays, arrows walk. */
function letGo(event: MouseEvent) {
  const { activeElement: focused } = document;
  if (event.detail === 0 || !(focused instanceof HTMLElement)) return;
  if (focused.closest('[role="dialog"], [role="menu"], input:not([type="radio"]), [role="option"], summary'))
    return;
  if (focused.matches('button, [role="tab"], input[type="radio"], [data-passing]')) focused.blur();
}

/** Hears the keys of all commands. */
export function useCommands() {
  // Once more whenever keys were changed.
  useSettings((s) => s.keys);
  useSettings((s) => s.singleKeys);
  const all = [...new Set(TABLE.flatMap(keysOf))];
  useHotkeys(
    all.flatMap((key) =>
      written(key).map((own): HotkeyItem => [own, (event) => hear(key, event), { preventDefault: false }]),
    ),
    [],
  );
  useEffect(() => {
    window.addEventListener('click', letGo);
    return () => window.removeEventListener('click', letGo);
  }, []);
}
