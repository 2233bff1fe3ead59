// Changes of a character's wiring, one after the other: each is made on what the last one left.

import { type CastDetail, type Wiring, api, queries, tell } from '../api/client';
import { askPose } from './pose';

let before: Promise<unknown> = Promise.resolve();

const key = (id: number) => ['castMember', id];

/** Takes an answer of the server as the newest state. */
async function take(answer: CastDetail) {
  const id = answer.member.id;
  await queries.cancelQueries({ queryKey: key(id) });
  queries.setQueryData(key(id), answer);
  askPose(id);
}

/** Does something to a character after all that was begun before; what is refused is told. */
export function change(work: () => Promise<CastDetail>): Promise<void> {
  const next = before.then(work).then(take).catch(tell);
  before = next;
  return next;
}

/** Changes the wiring; `by` changes the copy that it is given. */
export function editWiring(id: number, by: (wiring: Wiring) => void): Promise<void> {
  return change(async () => {
    const newest = queries.getQueryData<CastDetail>(key(id)) ?? (await api.castMember(id));
    const wiring = structuredClone(newest.member.wiring);
    by(wiring);
    return api.wire(id, wiring);
  });
}
