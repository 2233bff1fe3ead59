// Colours of the theme in force, read once for each drawing from the styles.

const NAMES = {
  paper: '--paper',
  paperDeep: '--paper-deep',
  card: '--card',
  rule: '--rule',
  edge: '--edge',
  ink: '--ink',
  inkSoft: '--ink-soft',
  jaw: '--jaw',
  lips: '--lips',
  tongue: '--tongue',
  cheeks: '--cheeks',
  lids: '--lids',
  brows: '--brows',
  gaze: '--gaze',
  head: '--head',
  voice: '--voice',
  doubt: '--doubt',
  doubtPaper: '--doubt-paper',
  inside: '--mouth-inside',
  accent: '--accent',
  accentSoft: '--accent-soft',
} as const;

export type Paint = Record<keyof typeof NAMES, string>;

let paint: Paint | null = null;

/** Forgets the colours; the next drawing reads them anew. */
export const repaint = () => {
  paint = null;
};

export function colours(): Paint {
  if (!paint) {
    const style = getComputedStyle(document.documentElement);
    paint = Object.fromEntries(
      Object.entries(NAMES).map(([key, name]) => [key, style.getPropertyValue(name).trim()]),
    ) as Paint;
  }
  return paint;
}
