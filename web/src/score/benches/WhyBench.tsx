import { useQuery } from '@tanstack/react-query';
import { type Grid, type LineView, api, sentence } from '../../api/client';
import { currentCurves } from '../../api/live';
import { longName, plain, regionColour } from '../../cast/words';
import { useView } from '../../state';
import { Problem } from '../../widgets/Problem';
import { useAlphabet } from '../alphabet';
import { at } from '../line';
import { frameAt } from '../time';
import css from './bench.module.css';
import why from './WhyBench.module.css';

/** Controls that are shown when none was chosen: those that do most at the moment. */
const SHOWN = 6;

function most(time: number): string[] {
  const curves = currentCurves();
  if (!curves) return [];
  return [...curves.controls]
    .filter(([name]) => !name.endsWith('_right'))
    .map(([name, curve]) => {
      // Angles against what a head and eyes do while somebody speaks.
      const full = /^(head|gaze)_/.test(name) ? 20 : 1;
      return { name, value: Math.abs(at(curve, time * curves.hz)) / full };
    })
    .filter(({ value }) => value > 0.03)
    .sort((a, b) => b.value - a.value)
    .slice(0, SHOWN)
    .map(({ name }) => name);
}

/** The bench: why the face is as it is at the playhead. */
export function WhyBench({ line, grid }: { line: LineView; grid: Grid }) {
  const time = useView((s) => Math.round(s.time * 100) / 100);
  const playing = useView((s) => s.playing);
  const curves = useView((s) => s.curves);
  const alphabet = useAlphabet(line);
  const { id } = line.summary;
  const asked = curves.length > 0 ? curves.slice(-SHOWN) : most(time);
  const cause = useQuery({
    queryKey: ['cause', id, time, asked.join(',')],
    queryFn: () => api.cause(id, time, asked),
    enabled: !playing && asked.length > 0,
    placeholderData: (before) => before,
  });
  return (
    <section className={css.bench} aria-label="Why" data-testid="why-bench">
      <div className={css.bar}>
        <h2>Why, at frame {frameAt(grid, time + 1e-4)}</h2>
        <span className={css.note}>
          {curves.length > 0
            ? `${curves.slice(-SHOWN).map(longName).join(', ')}: what makes the value here`
            : 'what moves most here; choose a curve, or click the face, to ask about one'}
        </span>
      </div>
      {playing && <span className="soft">Stop to ask.</span>}
      {!playing && asked.length === 0 && <span className="soft">The face is at rest here.</span>}
      {cause.error && <Problem>{sentence(cause.error)}</Problem>}
      {!playing &&
        asked.length > 0 &&
        cause.data?.map((one) => {
          const largest = Math.max(...one.parts.map((p) => Math.abs(p.amount)), 1e-6);
          return (
            <div key={one.control} className={why.cause}>
              <div className={why.head}>
                <i className={css.swatch} style={{ background: regionColour(one.region) }} />
                <b>{one.title}</b>
                <b className="num" data-testid={`cause-${one.control}`}>
                  {one.value.toFixed(3)}
                </b>
              </div>
              {one.parts
                .filter((p) => Math.abs(p.amount) >= 0.0005)
                .map((part) => (
                  <div key={part.what} className={why.part}>
                    <span>{alphabet.sentence(part.what)}</span>
                    <i>
                      <u
                        style={{
                          width: `${(50 * Math.abs(part.amount)) / largest}%`,
                          left: part.amount >= 0 ? '50%' : undefined,
                          right: part.amount < 0 ? '50%' : undefined,
                          background: regionColour(one.region),
                        }}
                      />
                    </i>
                    <span className="num">
                      {part.amount >= 0 ? '+' : '−'}
                      {Math.abs(part.amount).toFixed(3)}
                    </span>
                  </div>
                ))}
              {one.drives.length > 0 && (
                <span className={css.note}>
                  drives{' '}
                  {one.drives.map((d) => `${d.what} ${plain(Math.round(d.amount * 1000) / 1000)}`).join(', ')}
                </span>
              )}
            </div>
          );
        })}
    </section>
  );
}
