import { Menu } from '@mantine/core';
import { type Draft, isDoubtful } from '../../api/client';
import { Hint } from '../../widgets/Hint';
import css from './Drafted.module.css';

type Word = Draft['words'][number];

/** The place in a text at which a word of the draft still stands, the nearest to where it stood; none if it is gone. */
function placeOf(text: string[], word: string, near: number): number | null {
  const places = text.flatMap((t, i) => (t === word ? [i] : []));
  return places.sort((a, b) => Math.abs(a - near) - Math.abs(b - near))[0] ?? null;
}

/** A draft word by word: doubtful ones are marked, and each can be made what it may be instead. */
export function Drafted({
  draft,
  text,
  asItStands,
  onText,
}: {
  draft: Draft;
  /** What is typed now: the draft, with what was corrected in it. */
  text: string;
  asItStands: boolean;
  onText: (text: string) => void;
}) {
  const typed = text.split(/\s+/).filter(Boolean);
  const choose = (i: number, from: string, to: string) => {
    const at = placeOf(typed, from, i);
    if (at !== null) onText(typed.map((t, k) => (k === at ? to : t)).join(' '));
  };
  return (
    <div data-testid="drafted" className="small">
      <b>A draft{draft.by ? ` by ${draft.by.split('/').pop() ?? ''}` : ''}:</b>{' '}
      {draft.words.map((word, i) => (
        <DraftedWord
          key={i}
          word={word}
          typed={typed}
          place={i}
          onChoose={(from, to) => choose(i, from, to)}
        />
      ))}
      <span className="soft">
        {asItStands
          ? 'That is the text as it stands. Underlined words are doubtful.'
          : 'Underlined words are doubtful. Click a word to choose what it may be instead, or correct it above.'}
      </span>
    </div>
  );
}

function DraftedWord({
  word,
  typed,
  place,
  onChoose,
}: {
  word: Word;
  typed: string[];
  place: number;
  onChoose: (from: string, to: string) => void;
}) {
  const mark = /[.,?]*$/.exec(word.text)?.[0] ?? '';
  const all = [word.text, ...word.others.map((other) => other + mark)];
  // Which of them stands there now.
  const now =
    all.find((one) => placeOf(typed, one, place) === place) ?? all.find((one) => typed.includes(one));
  const shown = now ?? word.text;
  const look = isDoubtful(word) && shown === word.text ? css.doubtful : undefined;
  const sure = `heard ${Math.round(word.confidence * 100)} %`;
  if (word.others.length === 0 || now === undefined)
    return (
      <Hint says={sure}>
        <span className={look}>{shown} </span>
      </Hint>
    );
  return (
    <Menu position="bottom-start" width={180}>
      <Menu.Target>
        <button type="button" className={`${css.word ?? ''} ${look ?? ''}`} title={sure}>
          {shown}
        </button>
      </Menu.Target>
      <Menu.Dropdown data-testid="others">
        <Menu.Label>Or is it</Menu.Label>
        {all
          .filter((one) => one !== shown)
          .map((one) => (
            <Menu.Item key={one} onClick={() => onChoose(shown, one)}>
              {one.replace(/[.,?]+$/, '')}
            </Menu.Item>
          ))}
      </Menu.Dropdown>
    </Menu>
  );
}
