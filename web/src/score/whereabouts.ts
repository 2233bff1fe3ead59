// Tells the server where playing is, so that it can send the face on to other programs while it plays.

import { onConnected, sayWhere } from '../api/live';
import { get, useView } from '../state';
import { heard } from './player';

/** Milliseconds between two words of playing that merely goes on. */
const OFTEN = 1000;

let shown = false;

function say(goesOn: boolean) {
  const { place, line, loop } = get();
  if (place !== 'score' || line === null) {
    if (shown) sayWhere(null);
    shown = false;
    return;
  }
  shown = true;
  sayWhere({ line, ...heard(), repeats: loop && [loop.start, loop.end], goes_on: goesOn });
}

/** Starts telling, on every start, stop and jump, and now and then. */
export function tellWhereabouts() {
  let waits = false;
  const soon = () => {
    // Several changes of one moment are one.
    if (!waits) queueMicrotask(() => ((waits = false), say(false)));
    waits = true;
  };
  useView.subscribe((now, before) => {
    const keys = ['place', 'line', 'time', 'playing', 'loop', 'speed'] as const;
    if (keys.some((key) => now[key] !== before[key])) soon();
  });
  onConnected(soon);
  window.setInterval(() => get().playing && say(true), OFTEN);
}
