// What the staves are drawn from: plain functions `draw(context, scene, stave)`, without state and without React.

import type { Grid, LineView, Voice } from '../../../api/client';
import type { Curves } from '../../../api/live';
import type { Chosen, Span } from '../../../state';
import type { Axis } from '../axis';
import type { Paint } from './paint';

export interface Scene {
  paint: Paint;
  axis: Axis;
  grid: Grid;
  line: LineView;
  /** What is drawn of the recording; none until it has come. */
  voice: Voice | null;
  curves: Curves | null;
  chosen: Chosen | null;
  /** The numbers of the words and sounds that are chosen, those of chosen sounds' words among them. */
  words: Set<number>;
  sounds: Set<number>;
  loop: Span | null;
  ipa: boolean;
}

export type Context = CanvasRenderingContext2D;
