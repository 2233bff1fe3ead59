import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { fetchLine } from './api/act';
import type { LineView } from './api/client';
import css from './Guide.module.css';
import { remember, useSettings } from './settings';
import { useView } from './state';
import { Press } from './widgets/Press';

type Seen = ReturnType<typeof useView.getState>;

interface Step {
  title: string;
  text: string;
  /** Whether it was done, by what is seen on the page and of the line since the step began. */
  done: (state: Seen, line: LineView | undefined, before: LineView | undefined) => boolean;
}

const STEPS: Step[] = [
  {
    title: 'Let it speak',
    text: 'Press Space, or Play. The mouth was made from the recording and its text alone.',
    done: (s) => s.playing,
  },
  {
    title: 'Choose a word',
    text: 'Press a word on its stave, or walk with the arrow keys. A double click loops it.',
    done: (s) => s.chosen?.what === 'words',
  },
  {
    title: 'Correct it',
    text: 'Drag the word, or an edge of its sounds. What a hand decided stays, whatever is timed again.',
    done: (_, line, before) => (line?.revision ?? 0) > (before?.revision ?? Infinity),
  },
  {
    title: 'Lay a mood',
    text: 'Open the bench Mood and press one. The lips stay on the words.',
    done: (_, line, before) => (line?.layers.moods.length ?? 0) > (before?.layers.moods.length ?? Infinity),
  },
  {
    title: 'Ask why',
    text: 'Open the bench Why: which sound, which mood, which hand makes the face what it is, and how much.',
    done: (s) => s.bench === 'why',
  },
  {
    title: 'Take a step back',
    text: 'Press Ctrl Z, or Undo. It reaches back through restarts.',
    done: (_, line) => (line?.redo.length ?? 0) > 0,
  },
  {
    title: 'Send it out',
    text: 'Go to Deliver: an animated character and curves on your frames.',
    done: (s) => s.place === 'deliver',
  },
];

/** A first line, step by step, on whatever line is open; it goes on by itself as each is done. */
export function Guide() {
  const step = useSettings((s) => s.guide);
  const state = useView();
  const { line: id } = state;
  const line = useQuery({
    queryKey: ['line', id],
    queryFn: () => fetchLine(id ?? 0),
    enabled: step !== null && id !== null,
  }).data;
  const before = useRef<{ step: number; line: LineView | undefined }>({ step: -1, line: undefined });
  const own = step === null ? undefined : STEPS[step];
  useEffect(() => {
    if (step === null) return;
    if (before.current.step !== step) before.current = { step, line };
    before.current.line ??= line;
    if (own?.done(state, line, before.current.line)) remember({ guide: step + 1 });
  }, [step, own, state, line]);
  if (step === null) return null;
  return (
    <aside className={css.guide} aria-label="A first line, step by step" data-testid="guide" data-step={step}>
      {own ? (
        <>
          <b>
            {step + 1} of {STEPS.length}: {own.title}
          </b>
          <span>{own.text}</span>
          <div className={css.row}>
            <Press onClick={() => remember({ guide: step + 1 })}>Next</Press>
            <Press kind="quiet" testId="skip-guide" onClick={() => remember({ guide: null })}>
              Skip all
            </Press>
          </div>
        </>
      ) : (
        <>
          <b>That is the whole way</b>
          <span>
            Everything else is on the benches, in the menus of the right button, and behind “Find a command”.
          </span>
          <div className={css.row}>
            <Press kind="main" onClick={() => remember({ guide: null })}>
              Close
            </Press>
          </div>
        </>
      )}
    </aside>
  );
}
