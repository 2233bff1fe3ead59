// Many recordings on their way in: one after the other, in their order, so that each is kept as soon as it is there.

import { create } from 'zustand';
import { type ProposedLine, type ScriptLine, api, queries, sentence } from '../../api/client';
import { produce, turnProduction } from '../../api/production';
import { remember } from '../../settings';
import { set } from '../../state';
import { say } from '../../widgets/tell';
import { count } from '../../widgets/words';
import type { Came } from './gather';

/** A line that did not come in, and why. */
export interface Missed {
  line: ProposedLine;
  says: string;
}

interface Bringing {
  /** How many are to come in; 0 while nothing is under way or left to tell. */
  all: number;
  sent: number;
  missed: Missed[];
  going: boolean;
  stopped: boolean;
}

const NOTHING: Bringing = { all: 0, sent: 0, missed: [], going: false, stopped: false };

export const useBringing = create<Bringing>(() => NOTHING);

/** The files of those that did not come in, for another try. */
let files = new Map<string, Came>();

const leaving = (event: BeforeUnloadEvent) => event.preventDefault();

/** Brings lines in. What is missed can be tried again. */
export async function bringLines(lines: ProposedLine[], came: Map<string, Came>, script: ScriptLine[]) {
  files = came;
  useBringing.setState({ ...NOTHING, all: lines.length, going: true });
  window.addEventListener('beforeunload', leaving);
  const made: number[] = [];
  const missed: Missed[] = [];
  for (const line of lines) {
    if (useBringing.getState().stopped) break;
    try {
      const own = files.get(line.recording ?? '');
      if (!own) throw new Error('Its recording did not come; drop it again.');
      made.push((await api.addOneOf(await own.read(), line)).summary.id);
    } catch (error) {
      missed.push({ line, says: sentence(error) });
    }
    useBringing.setState({ sent: made.length, missed: [...missed] });
  }
  window.removeEventListener('beforeunload', leaving);
  if (script.length > 0 && made.length > 0) remember({ script });
  // All of them are one step, with one way back.
  if (made.length > 0) {
    await produce({ do: 'bring_lines', ids: made });
    set({ line: made[0] ?? null, marked: [] });
    say(`${count(made.length, 'line')} came in.`, {
      does: 'Undo',
      run: () => void turnProduction('undo'),
    });
  }
  await queries.invalidateQueries({ queryKey: ['lines'] });
  useBringing.setState(missed.length > 0 ? { going: false } : NOTHING);
}

/** Stops after the recording that is on its way; what came in stays. */
export const stopBringing = () => useBringing.setState({ stopped: true });

export function bringMissedAgain() {
  const { missed } = useBringing.getState();
  void bringLines(
    missed.map((m) => m.line),
    files,
    [],
  );
}

export const forgetMissed = () => useBringing.setState(NOTHING);
