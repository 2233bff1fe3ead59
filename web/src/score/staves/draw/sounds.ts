// The sounds; of words that are too narrow for theirs, one block each.

import { isDoubtful } from '../../../api/client';
import { written } from '../../alphabet';
import { fonts } from '../../../theme/theme';
import { soundIsDoubtful, soundsAt, soundsOf, wordsOf } from '../../line';
import { GUTTER, type Stave, toX } from '../axis';
import { type Print, print, widthOf } from './print';
import type { Context, Scene } from './scene';

/** Narrower sounds than this on average fold into their words. */
const FOLDS = 9;

/** Words as one block each where their sounds are too narrow to be told apart. */
function foldedWords(s: Scene): Set<number> {
  const folded = new Set<number>();
  wordsOf(s.line).forEach((word, i) => {
    const width = toX(s.axis, word.span.end) - toX(s.axis, word.span.start);
    if (width / Math.max(soundsAt(s.line, i).length, 1) < FOLDS) folded.add(i);
  });
  return folded;
}

function drawFolded(c: Context, s: Scene, stave: Stave, folded: Set<number>): Print[] {
  const prints: Print[] = [];
  const font = s.ipa ? `13px ${fonts.ipa}` : `12px ${fonts.sans}`;
  const { paint, axis } = s;
  const top = stave.top + 4;
  const height = stave.height - 8;
  for (const i of folded) {
    const word = wordsOf(s.line)[i];
    if (!word) continue;
    const [left, right] = [toX(axis, word.span.start), toX(axis, word.span.end)];
    if (right < GUTTER || left > axis.width) continue;
    const doubtful = isDoubtful(word);
    c.beginPath();
    c.roundRect(left + 0.5, top, Math.max(right - left - 1, 1), height, 3);
    c.fillStyle = s.words.has(word.id) ? paint.accentSoft : doubtful ? paint.doubtPaper : paint.card;
    c.fill();
    c.strokeStyle = doubtful ? paint.doubt : paint.edge;
    c.stroke();
    const own = soundsAt(s.line, i);
    const label = own.map((sound) => written(sound, s.ipa)).join(s.ipa ? '' : ' ');
    if (widthOf(c, font, label) <= right - left - 4) prints.push(middle(s, font, label, left, right, stave));
  }
  return prints;
}

const middle = (s: Scene, font: string, text: string, left: number, right: number, stave: Stave): Print => ({
  text,
  font,
  colour: s.paint.ink,
  x: (left + right) / 2,
  y: stave.top + stave.height / 2 + 0.5,
});

export function drawSounds(c: Context, s: Scene, stave: Stave) {
  const { paint, axis, line } = s;
  const top = stave.top + 4;
  const height = stave.height - 8;
  const folded = foldedWords(s);
  const prints = drawFolded(c, s, stave, folded);
  const font = s.ipa ? `15px ${fonts.ipa}` : `600 12px ${fonts.sans}`;
  soundsOf(line).forEach((sound) => {
    if (sound.phone === 'SIL' || folded.has(sound.word ?? -1)) return;
    const left = toX(axis, sound.span.start);
    const right = toX(axis, sound.span.end);
    if (right < GUTTER || left > axis.width) return;
    const doubtful = soundIsDoubtful(line, sound);
    const chosen = s.sounds.has(sound.id);
    c.beginPath();
    c.roundRect(left + 0.5, top, Math.max(right - left - 1, 1), height, 4);
    c.fillStyle = chosen ? paint.accentSoft : doubtful ? paint.doubtPaper : paint.card;
    c.fill();
    c.strokeStyle = chosen ? paint.accent : doubtful ? paint.doubt : paint.edge;
    if (doubtful) c.setLineDash([3, 2]);
    c.stroke();
    c.setLineDash([]);
    if (sound.release != null && right - left > 8) {
      // Where a stop opens.
      const x = Math.round(left + sound.release * (right - left));
      c.fillStyle = paint.inkSoft;
      c.fillRect(x, top + height - 5, 1, 5);
    }
    const label = written(sound, s.ipa);
    if (widthOf(c, font, label) <= right - left - 2) prints.push(middle(s, font, label, left, right, stave));
  });
  print(c, prints);
}
