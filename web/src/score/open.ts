// The line and the frame grid that are open, as the page has them.

import { type LineView, queries } from '../api/client';
import { get } from '../state';

export const openLine = () => queries.getQueryData<LineView>(['line', get().line]);

export const openGrid = () => openLine()?.grid;
