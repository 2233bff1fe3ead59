import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type IdleDoes, api, queries, sentence } from '../api/client';
import { go } from '../state';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import css from './AddLine.module.css';
import { WhoPick } from './WhoPick';

const DOES = [
  ['waits', 'waits: looks around, thinks, shifts'],
  ['listens', 'listens: eyes on a face, nods'],
  ['rests', 'rests: blinks and breathes'],
] as const satisfies readonly (readonly [IdleDoes, string])[];

/** Makes a line in which nothing is said. */
export function IdleForm({ onBack, onDone }: { onBack: () => void; onDone: () => void }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const [does, setDoes] = useState<IdleDoes>('waits');
  const [seconds, setSeconds] = useState(20);
  const [draw, setDraw] = useState(1);
  const [character, setCharacter] = useState<string | null>(null);
  const [problem, setProblem] = useState('');
  const who = character ?? cast.data?.[0]?.name ?? null;
  const add = async () => {
    try {
      const line = await api.addIdle({ does, seconds, seed: draw, character: who });
      await queries.invalidateQueries({ queryKey: ['lines'] });
      onDone();
      go('score', line.summary.id);
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  return (
    <form
      className={css.form}
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
    >
      <p className="soft" style={{ margin: 0 }}>
        Nothing is said: a face that lives, and comes round without a seam. It is a line like any other:
        moods, looks and moves are laid on it by hand, and it is delivered like one. Its last frame is its
        first once more.
      </p>
      <div className={css.row}>
        <WhoPick label="Who" cast={cast.data ?? []} who={who} onChange={setCharacter} />
        <Pick
          label="What it does"
          testId="idle-does"
          width={270}
          value={does}
          options={DOES}
          onChange={setDoes}
        />
      </div>
      <div className={css.row}>
        <NumberField
          labelled
          label="lasts"
          testId="idle-seconds"
          value={seconds}
          low={4}
          high={600}
          step={1}
          digits={2}
          suffix=" s"
          width={84}
          onChange={setSeconds}
        />
        <NumberField
          labelled
          label="draw"
          value={draw}
          low={1}
          high={9999}
          step={1}
          digits={0}
          width={74}
          onChange={setDraw}
        />
        <span className="soft">another draw is other motion</span>
      </div>
      {problem && <Problem>{problem}</Problem>}
      <div className={css.end}>
        <Press onClick={onBack}>Back</Press>
        <Press kind="main" type="submit" testId="add-idle">
          Make it
        </Press>
      </div>
    </form>
  );
}
