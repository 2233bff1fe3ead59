// What was copied on a score, to be pasted there or on another line's: keys, or moods, looks, blinks and head moves.

import { act } from '../api/act';
import { type Op } from '../api/client';
import { tell } from '../widgets/tell';
import { get } from '../state';
import { choose, chosenKeys, idsOf } from './chosen';
import { type CopiedKeys, copiedKeys, pasteKeys, snapped } from './hand';
import { openLine } from './open';

type Laying = Omit<Extract<Op, { do: 'lay' }>, 'do' | 'time'>;

type Named = Extract<Op, { do: 'paste' }>['named'];

let copied: { what: 'keys'; curves: CopiedKeys; named?: Named } | { what: 'spans'; laying: Laying } | null =
  null;

/** Copies what is chosen; false if nothing of it can be. */
export function copy(): boolean {
  const line = openLine();
  const { chosen } = get();
  if (!line || !chosen) return false;
  if (chosen.what === 'keys' || chosen.what === 'touches') {
    const touches = line.touches.filter((t) => idsOf(chosen, 'touches').includes(t.id));
    const keys =
      chosen.what === 'keys'
        ? chosenKeys()
        : touches.flatMap((t) => t.keys.map((_, key) => ({ touch: t.id, key })));
    // A pass, or a rest, stays one thing.
    const pass = touches[0]?.pass;
    const one = pass && touches.every((t) => t.pass?.id === pass.id);
    copied = {
      what: 'keys',
      curves: copiedKeys(line, keys),
      named: one ? { name: pass.name, free: pass.free } : undefined,
    };
    return true;
  }
  if (chosen.what !== 'spans') {
    tell(new Error('Words and sounds are not copied; choose keys, moods, looks, blinks or head moves.'));
    return false;
  }
  const { moods, looks, moves, blinks, settings } = line.layers;
  const own = <T extends { id: number }>(all: T[]) => all.filter((one) => chosen.ids.includes(one.id));
  const starts = [...own(moods), ...own(looks), ...own(moves)].map((s) => s.span.start);
  const first = Math.min(...starts, ...own(blinks).map((b) => b.at));
  const over = (span: { start: number; end: number }) => ({
    start: span.start - first,
    end: span.end - first,
  });
  copied = {
    what: 'spans',
    laying: {
      moods: own(moods).map((m) => ({ over: over(m.span), does: m.does })),
      looks: own(looks).map((l) => ({ over: over(l.span), does: l.does })),
      moves: own(moves).map((m) => ({ over: over(m.span), does: m.does })),
      blinks: own(blinks).map((b) => ({ at: b.at - first, shape: b.shape })),
      marks: settings.marks,
    },
  };
  return true;
}

/** Pastes what was copied from the playhead on, and chooses it. */
export function paste() {
  const { line, time, bench } = get();
  if (line === null) return;
  if (!copied) tell(new Error('Nothing was copied yet; choose keys or something on a stave and copy it.'));
  else if (copied.what === 'keys') void pasteKeys(copied.curves, copied.named);
  else {
    const { moods = [], looks = [], blinks = [] } = copied.laying;
    const layer = moods.length > 0 ? 'mood' : looks.length > 0 || blinks.length > 0 ? 'eyes' : 'head';
    void act(line, { do: 'lay', time: snapped(time), ...copied.laying }).then((answer) => {
      if (answer) choose({ what: 'spans', layer, ids: answer.made }, bench);
    });
  }
}

/** Whether something was copied. */
export const isFull = () => copied !== null;
