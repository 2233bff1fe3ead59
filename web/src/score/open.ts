// The line, the scene and the frame grid that are open, as the page has them.

import { type LineView, type SceneView, queries } from '../api/client';
import { get } from '../state';

export const openLine = () => queries.getQueryData<LineView>(['line', get().line]);

/** The scene that is open. */
export const openScene = () => queries.getQueryData<SceneView>(['scene', get().scene]);

export const openGrid = () => (get().place === 'scene' ? openScene() : openLine())?.grid;
