// What this browser remembers of how somebody likes the page: sizes, views, volume, keys.

import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { ScriptLine, SendOrder } from './api/client';
import type { CommandId } from './keys';
import type { StaveName } from './score/staves/axis';

export type Corner = 'bottom right' | 'bottom left' | 'top right' | 'top left';

interface Settings {
  /** Height of stage and bench together, and width of the stage, as shares of the score; none is the usual. */
  upper: number | null;
  stage: number | null;
  /** Staves that were made higher or lower, pixels. */
  heights: Partial<Record<StaveName, number>>;
  /** The mouth's close-up. */
  closeUp: 'small' | 'large' | 'off';
  corner: Corner;
  /** A second view from the side. */
  two: boolean;
  sideLight: boolean;
  /** Frame and time in the picture. */
  burnIn: boolean;
  /** 0 to 1. */
  volume: number;
  muted: boolean;
  ipa: boolean;
  /** Keys that were chosen instead of the usual ones. */
  keys: Partial<Record<CommandId, string[]>>;
  /** The step of the guided first line that is shown; none, no guide. */
  guide: number | null;
  /** Whether single keys do something, or only those with Ctrl or Cmd. */
  singleKeys: boolean;
  /** Where the face that plays was sent last. */
  sendTo: SendOrder;
  /** A script that came with recordings, until its lines are found in them. */
  script: ScriptLine[];
}

export const useSettings = create<Settings>()(
  persist(
    (): Settings => ({
      upper: null,
      stage: null,
      heights: {},
      closeUp: 'small',
      corner: 'bottom right',
      two: false,
      sideLight: false,
      burnIn: false,
      volume: 1,
      muted: false,
      ipa: false,
      keys: {},
      guide: null,
      singleKeys: true,
      sendTo: { to: '127.0.0.1:7422', addressed: 'packed', rate: 100 },
      script: [],
    }),
    { name: 'jam-lips-settings', version: 1 },
  ),
);

export const settings = useSettings.getState;
export const remember = useSettings.setState;
