import { Checkbox } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type SceneView, api } from '../api/client';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { DEGREES, SlideRow } from '../widgets/SlideRow';
import { change, strip, useStrip } from './data';
import { useSettled } from './useSettled';
import css from './ScenePage.module.css';

/** Who stands where, and who is looked at from near. */
export function StageTab({ scene }: { scene: SceneView }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const near = useStrip((s) => s.near);
  const apart = useSettled((apart: number) => void change({ do: 'set', settings: { apart } }));
  const turned = useSettled((turned: number) => void change({ do: 'set', settings: { turned } }));
  const row = scene.actors.map((a) => a.character);
  const stand = (characters: string[]) => void change({ do: 'stand', characters });
  const move = (from: number, by: number) => {
    const next = [...row];
    const [moved] = next.splice(from, 1);
    if (moved !== undefined) next.splice(from + by, 0, moved);
    stand(next);
  };
  const speaks = (character: string) => scene.turns.some((t) => t.speaker === character);
  const away = (cast.data ?? []).filter((m) => !scene.actors.some((a) => a.member === m.id));
  return (
    <>
      <h2>From left to right</h2>
      {scene.actors.map((a, i) => (
        <div key={a.character} className={css.stander} data-testid={`stands-${i}`}>
          <b>{a.title}</b>
          <Press
            kind="quiet"
            aria-label={`← ${a.title} farther to the left`}
            disabled={i === 0}
            onClick={() => move(i, -1)}
          >
            ←
          </Press>
          <Press
            kind="quiet"
            aria-label={`→ ${a.title} farther to the right`}
            disabled={i === row.length - 1}
            onClick={() => move(i, 1)}
          >
            →
          </Press>
          <Press
            kind="quiet"
            pressed={near === a.character}
            aria-label={`Near: ${a.title}`}
            onClick={() => strip({ near: near === a.character ? null : a.character })}
          >
            Near
          </Press>
          {!speaks(a.character) && (
            <Press
              kind="quiet"
              aria-label={`Away: ${a.title}`}
              onClick={() => stand(row.filter((c) => c !== a.character))}
            >
              Away
            </Press>
          )}
        </div>
      ))}
      {away.length > 0 && (
        <Pick
          label="Somebody who only listens"
          testId="only-listens"
          value=""
          options={[['', 'Somebody who only listens …'], ...away.map((m) => [m.key, m.name] as const)]}
          onChange={(key) => key && stand([...row, key])}
        />
      )}
      <SlideRow title="Apart" value={scene.apart} low={0.5} high={3} usual={1} onChange={apart} />
      <SlideRow
        title="Turned"
        about="How far those at the sides are turned to the middle"
        value={scene.turned}
        high={80}
        usual={24}
        unit={DEGREES}
        onChange={turned}
      />
      <Checkbox
        label="Eyes on one level"
        checked={scene.level}
        onChange={(event) => void change({ do: 'set', settings: { level: event.currentTarget.checked } })}
      />
    </>
  );
}
