// How controls, targets and what is missing are called on the page.

import { type ControlName, type ControlView, type Target, type Vocabulary, queries } from '../api/client';

export type Region = ControlView['region'];

export const REGIONS: Region[] = ['jaw', 'lips', 'tongue', 'cheeks', 'lids', 'brows', 'gaze', 'head'];

export const regionColour = (region: Region) => `var(--${region})`;

/** A control's name under the title of its region. */
export const shortName = (control: ControlName) =>
  control.replace(/^(jaw|lips?|tongue|cheek|lid|brow|gaze|head)_/, '').replace(/_/g, ' ');

export const longName = (control: ControlName) => control.replace(/_/g, ' ');

/** The same control on the other side of the face. */
export function partner(control: ControlName): ControlName | null {
  if (control.endsWith('_left')) return control.replace(/_left$/, '_right') as ControlName;
  if (control.endsWith('_right')) return control.replace(/_right$/, '_left') as ControlName;
  return null;
}

const AXES = ['x', 'y', 'z'] as const;

/** The axis in a word: x, y, z, or its numbers. */
function axisName(axis: number[]): string {
  const along = axis.findIndex((v) => Math.abs(v) > 0.995);
  if (along >= 0) return `${(axis[along] ?? 0) < 0 ? '−' : ''}${AXES[along] ?? ''}`;
  return axis.map((v) => v.toFixed(2)).join(' ');
}

export const targetName = (target: Target) => (target.kind === 'morph' ? target.name : target.node);

/** What kind of thing moves, and in which unit. */
export function targetKind(target: Target): string {
  switch (target.kind) {
    case 'morph':
      return 'shape';
    case 'rotation':
      return `joint turns about ${axisName(target.axis)}, degrees`;
    case 'translation':
      return `joint moves along ${axisName(target.axis)}`;
    case 'scale':
      return `joint’s size, ${target.axis.map((v) => v.toFixed(2)).join(' ')}`;
    case 'shown':
      return 'shown from one half on';
  }
}

export const sameTarget = (a: Target, b: Target) => JSON.stringify(a) === JSON.stringify(b);

/** A number as it is read: no more digits than needed. */
export const plain = (value: number) => String(Math.round(value * 1000) / 1000);

/** The region of a control. */
export const regionOf = (control: string): Region =>
  queries.getQueryData<Vocabulary>(['vocabulary'])?.controls.find((c) => c.name === control)?.region ??
  'lips';

/** The name of a shape or a control as words. */
export const inWords = (name: string) => name.replaceAll('_', ' ');
