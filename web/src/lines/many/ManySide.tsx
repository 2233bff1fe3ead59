import { NumberInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type LineSummary, api, lacksText, speaks } from '../../api/client';
import { order } from '../../deliver/order';
import { newScene } from '../../scene/actions';
import { MOODS } from '../../score/layers';
import { go, set } from '../../state';
import { Hint } from '../../widgets/Hint';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { count } from '../../widgets/words';
import { changeLines, deleteLines, draftTexts, queued } from '../lineActions';
import css from './ManySide.module.css';

/** Marked lines: each change of them is one step, which undo takes back from all. */
export function ManySide({ lines }: { lines: LineSummary[] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  const dictions = useQuery({ queryKey: ['diction'], queryFn: api.dictions, staleTime: Infinity });
  const [amount, setAmount] = useState('1');
  const [first, setFirst] = useState<string | number>('');
  const ids = lines.map((l) => l.id);
  const seconds = lines.reduce((sum, l) => sum + l.duration, 0);
  const ready = lines.filter(speaks);
  const unwritten = lines.filter(lacksText);
  const again = () => queued(api.analyseLines(ids));
  const setFirsts = () => {
    void changeLines(ids, { set: 'first_frame', first: Number(first) });
    setFirst('');
  };
  const firsts = new Set(lines.map((l) => l.first_frame));
  return (
    <div className={css.side} data-testid="many-side">
      <h2>{count(lines.length, 'line')} marked</h2>
      <div className="soft">
        {seconds.toFixed(1)} s · {ready.length} with times
      </div>
      <div className={css.fields}>
        <span className="soft">Who</span>
        <Pick
          label="Who says them"
          testId="many-character"
          value=""
          options={[['', 'as they are'] as const, ...(cast.data ?? []).map((m) => [m.key, m.name] as const)]}
          onChange={(name) => name && void changeLines(ids, { set: 'character', name })}
        />
        <Hint says="Over the whole of each, in the place of one that lies there now">
          <span className="soft">Mood</span>
        </Hint>
        <div className={css.row}>
          <Pick
            label="Mood over the whole of each"
            testId="many-mood"
            value=""
            width={88}
            options={[
              ['', 'as it is'] as const,
              ['none', 'none'] as const,
              ...MOODS.map((mood) => [mood, mood] as const),
            ]}
            onChange={(mood) =>
              mood &&
              void changeLines(ids, {
                set: 'mood',
                moods: mood === 'none' ? [] : [`${mood}:${amount}`],
              })
            }
          />
          <Pick
            label="How strong the mood is"
            value={amount}
            options={[
              ['1', 'full'],
              ['0.6', 'half'],
              ['0.3', 'slight'],
            ]}
            onChange={setAmount}
          />
        </div>
        <span className="soft">Diction</span>
        <Pick
          label="Diction"
          testId="many-diction"
          value=""
          options={[
            ['', 'as it is'] as const,
            ...(dictions.data?.styles ?? []).map((s) => [s.name, s.name] as const),
          ]}
          onChange={(name) => {
            const style = dictions.data?.styles.find((s) => s.name === name);
            if (style) void changeLines(ids, { set: 'diction', change: { ...style.diction } });
          }}
        />
        <span className="soft">First frame</span>
        <div className={css.row}>
          <NumberInput
            aria-label="First frame of each"
            data-testid="many-first"
            w={64}
            placeholder={firsts.size === 1 ? String(lines[0]?.first_frame) : 'various'}
            value={first}
            onChange={setFirst}
            onKeyDown={(event) => {
              if (event.key === 'Enter' && first !== '') setFirsts();
            }}
            allowDecimal={false}
          />
          <Press disabled={first === ''} testId="many-first-set" onClick={setFirsts}>
            Set
          </Press>
          <Press
            kind="link"
            hint="The production’s own first frame"
            onClick={() => void changeLines(ids, { set: 'first_frame', first: null })}
          >
            usual
          </Press>
        </div>
      </div>
      <div className={css.row}>
        <Press
          kind="main"
          disabled={ready.length === 0}
          testId="many-deliver"
          onClick={() => {
            order({ lines: ready.map((l) => l.id) });
            go('deliver');
          }}
        >
          Deliver with a recipe …
        </Press>
        <Press testId="many-again" onClick={again}>
          Time again
        </Press>
        {unwritten.length > 0 && (
          <Press
            testId="many-draft"
            hint="What is heard becomes the text of each marked line that has none, to be corrected"
            onClick={() => draftTexts(unwritten)}
          >
            Draft {count(unwritten.length, 'text')}
          </Press>
        )}
        <Press onClick={() => void newScene(scenes.data ?? [], ids)}>Into a new scene</Press>
      </div>
      <div className={css.row}>
        <Press kind="quiet" testId="many-delete" onClick={() => deleteLines(ids)}>
          Delete
        </Press>
        <Press kind="quiet" onClick={() => set({ marked: [] })}>
          Mark none
        </Press>
      </div>
    </div>
  );
}
