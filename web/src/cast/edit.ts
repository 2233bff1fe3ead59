// The one way to change a character's wiring: an operation is sent, made on the state that the page saw, and shown as
// the server answers.

import { type CastDetail, type ShapeOp, type WiringOp, api, queries } from '../api/client';
import { forgetRefusal } from '../widgets/tell';
import { type Answer, enqueue, isNewest, ownGesture, withoutName } from '../api/queue';
import { askPose } from './pose';

const thing = (id: number) => `cast ${id}`;
const key = (id: number) => ['castMember', id];
const refresh = (id: number) => () => void queries.invalidateQueries({ queryKey: key(id) });

/** Shows an answer of the server as the newest state. */
const answer = (detail: CastDetail): Answer => {
  const { id, revision } = detail.member;
  return {
    revision,
    show: () => {
      queries.setQueryData(key(id), detail);
      askPose(id);
    },
  };
};

/** Fetches a character; one that is older than what an answer brought meanwhile is not taken. */
export async function fetchMember(id: number): Promise<CastDetail> {
  const detail = await api.castMember(id);
  if (isNewest(thing(id), detail.member.revision)) return detail;
  return queries.getQueryData<CastDetail>(key(id)) ?? detail;
}

/** Makes an operation on a wiring; what is refused is told. */
export function rewire(id: number, op: WiringOp, anyway = false): Promise<boolean> {
  const gesture = ownGesture();
  return enqueue(thing(id), {
    send: async (seen) => answer(await api.rewire(id, op, gesture, anyway ? undefined : seen)),
    anyway: () => void rewire(id, op, true),
    refresh: refresh(id),
  });
}

/** Makes an operation on a character's shapes; what is refused is told. */
export function reshape(id: number, op: ShapeOp): Promise<boolean> {
  const gesture = ownGesture();
  return enqueue(thing(id), {
    send: async (seen) => answer(await api.reshape(id, op, gesture, seen)),
    refresh: refresh(id),
  });
}

/** Takes a wiring from a file. */
export const importWiring = (id: number, file: File, anyway = false): Promise<boolean> =>
  withoutName(() =>
    enqueue(thing(id), {
      send: async (seen) => answer(await api.importWiring(id, file, anyway ? undefined : seen)),
      anyway: () => void importWiring(id, file, true),
      refresh: refresh(id),
    }),
  );

/** Takes the last step of a wiring back, or makes it again: after everything that was sent before. */
export const turnWiring = (id: number, way: 'undo' | 'redo') =>
  withoutName(async () => {
    const made = await enqueue(thing(id), {
      send: async (seen) => answer(await api.turnWiring(id, way, seen)),
      refresh: refresh(id),
    });
    if (made) forgetRefusal();
  });
