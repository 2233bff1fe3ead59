// Changes of the production as a whole, lines and characters deleted, named, ordered: one after the other, each shown
// with a way back.

import { say, tell } from '../widgets/tell';
import { type ProductionOp, api, queries } from './client';

const refresh = () =>
  Promise.all(
    ['production', 'lines', 'line', 'cast', 'deliveries', 'scenes', 'scene'].map((key) =>
      queries.invalidateQueries({ queryKey: [key] }),
    ),
  );

/** Makes an operation on the production; what was made new, or nothing if it was refused, which is said. */
export async function produce(op: ProductionOp) {
  try {
    const made = await api.produce(op);
    await refresh();
    if (/^delete/.test(op.do)) say(made.says, { does: 'Undo', run: () => void turnProduction('undo') });
    return made;
  } catch (error) {
    tell(error);
    return null;
  }
}

/** Takes the production's last step back, or makes it again. */
export async function turnProduction(way: 'undo' | 'redo') {
  try {
    await api.turnProduction(way);
    await refresh();
  } catch (error) {
    tell(error);
  }
}
