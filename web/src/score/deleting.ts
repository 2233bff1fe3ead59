// Deleting what is chosen, whatever it is.

import { act } from '../api/act';
import { tell } from '../widgets/tell';
import { chosenLines, deleteLines } from '../lines/lineActions';
import { get } from '../state';
import { choose } from './chosen';
import { deleteSounds } from './correct';
import { removeKeys } from './hand';
import { remove } from './layers';
import { openLine } from './open';

export function deleteChosen() {
  const { chosen, place } = get();
  if (place === 'lines') {
    const ids = chosenLines();
    if (ids.length > 0) deleteLines(ids);
    return;
  }
  switch (chosen?.what) {
    case 'keys':
      return removeKeys();
    case 'sounds':
      return deleteSounds();
    case 'spans':
    case 'levels':
      choose(null);
      return remove(chosen.ids);
    case 'touches':
      choose(null);
      return deleteTouches(chosen.ids);
    case 'words':
      return tell(new Error('A word goes with its text: retype it, or take it out of the line’s text.'));
  }
}

/** Deletes touches: a pass, or keys on a word. */
export function deleteTouches(ids: number[]) {
  const line = openLine();
  const names = new Set(line?.touches.filter((t) => ids.includes(t.id)).map((t) => t.pass?.name));
  const [name] = names;
  const what = names.size === 1 && name ? `delete the pass ${name}` : 'delete what hands did';
  if (line) void act(line.summary.id, { do: 'touches', remove: ids, what });
}
