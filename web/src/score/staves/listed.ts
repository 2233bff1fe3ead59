// Which curves the open stave lists now, for commands that go through them.

import type { ControlName } from '../../api/client';

let listed: ControlName[] = [];

export const sayListed = (names: ControlName[]) => {
  listed = names;
};

export const listedNow = () => listed;
