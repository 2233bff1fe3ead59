import { IconChevronDown, IconChevronRight } from '@tabler/icons-react';
import { memo, useRef, useSyncExternalStore } from 'react';
import type { LineView } from '../../api/client';
import { currentCurves, onCurves } from '../../api/live';
import { remember, settings, useSettings } from '../../settings';
import { type Bench, type Listed, set, useView } from '../../state';
import { Divider } from '../../widgets/Divider';
import { Hint } from '../../widgets/Hint';
import { useIpa } from '../alphabet';
import { choose, keysOf } from '../chosen';
import { soundIsDoubtful, soundsOf } from '../line';
import type { Stave, StaveName } from './axis';
import css from './Names.module.css';

export const TITLES: Record<StaveName, string> = {
  voice: 'Voice',
  words: 'Words',
  sounds: 'Sounds',
  strip: 'Lip strip',
  mouth: 'Mouth',
  mood: 'Mood',
  eyes: 'Eyes',
  head: 'Head',
  hand: 'By hand',
};

/** The bench that each stave belongs to. */
const BENCHES: Record<StaveName, Bench> = {
  voice: 'line',
  words: 'word',
  sounds: 'word',
  strip: 'diction',
  mouth: 'diction',
  mood: 'mood',
  eyes: 'eyes',
  head: 'head',
  hand: 'hand',
};

/** Which curves a stave opens to. */
const OPENS: Partial<Record<StaveName, Listed>> = {
  mouth: 'moving',
  mood: 'face',
  eyes: 'eyes',
  head: 'head',
  hand: 'touched',
};

/** Least and largest height of a stave, pixels. */
const LEAST = 22;
const MOST = 400;

/** The names of the staves: each opens its bench, the triangle before it its curves, the edge under it makes it higher. */
export const Names = memo(function Names({
  line,
  staves,
  open,
}: {
  line: LineView;
  staves: Stave[];
  open: boolean;
}) {
  const bench = useView((s) => s.bench);
  return staves
    .filter((s) => !(open && s.name === 'mouth'))
    .map((s) => (
      <div
        key={s.name}
        className={css.name}
        style={{ top: s.top, height: s.height }}
        data-testid={`name-${s.name}`}
      >
        <Triangle name={s.name} />
        <Hint says="Opens the bench of this stave">
          <button
            className={css.title}
            data-open={bench === BENCHES[s.name] || undefined}
            onClick={() => set({ bench: BENCHES[s.name] })}
          >
            {TITLES[s.name]}
          </button>
        </Hint>
        <Note line={line} name={s.name} />
        <Edge stave={s} />
      </div>
    ));
});

function Triangle({ name }: { name: StaveName }) {
  const listed = OPENS[name];
  if (!listed) return <span className={css.triangle} />;
  return (
    <Hint says="Opens its curves and keys">
      <button
        className={css.triangle}
        aria-label={`Curves of ${TITLES[name]}`}
        data-testid={`open-${name}`}
        onClick={() => set({ open: true, listed })}
      >
        <IconChevronRight size={15} />
      </button>
    </Hint>
  );
}

/** Closes the open curves. */
export function CloseTriangle() {
  const keys = keysOf(useView((s) => s.chosen));
  return (
    <Hint says="Closes the curves (Q)">
      <button
        className={css.triangle}
        aria-label="Close the curves"
        data-testid="close-stave"
        onClick={() => {
          if (keys.length > 0) choose(null);
          set({ open: false });
        }}
      >
        <IconChevronDown size={15} />
      </button>
    </Hint>
  );
}

/** The lower edge of a stave's name: dragged, it makes the stave higher. */
function Edge({ stave }: { stave: Stave }) {
  const from = useRef(stave.height);
  const own = useSettings((s) => s.heights[stave.name]);
  const put = (height: number | undefined) =>
    remember({ heights: { ...settings().heights, [stave.name]: height } });
  return (
    <div className={css.edge}>
      <Divider
        way="lying"
        label={`Height of ${TITLES[stave.name]}`}
        testId={`edge-${stave.name}`}
        value={(100 * (own ?? stave.height)) / MOST}
        onHold={() => {
          from.current = stave.height;
        }}
        onMove={(by) => put(Math.max(LEAST, Math.min(MOST, from.current + by)))}
        onReset={() => put(undefined)}
      />
    </div>
  );
}

/** What there is to say of a stave, at the right of its name. */
function Note({ line, name }: { line: LineView; name: StaveName }) {
  const ipa = useIpa(line);
  const { settings: own, moods, moves } = line.layers;
  const alone = [own.mouth, own.mood, own.eyes, own.head, own.hand].some((l) => l.alone);
  const layer =
    name === 'mouth' || name === 'mood' || name === 'eyes' || name === 'head' || name === 'hand'
      ? own[name]
      : null;
  if (layer && (!layer.on || (alone && !layer.alone))) return <span className={css.silent}>silent</span>;
  switch (name) {
    case 'sounds': {
      const doubtful = soundsOf(line).filter((s) => soundIsDoubtful(line, s)).length;
      return (
        <Hint
          says={
            line.document.language == null
              ? `Written in ${ipa ? 'IPA' : 'ARPAbet'}; press for the other alphabet`
              : 'Written in IPA, as other languages are'
          }
        >
          <button className={css.note} onClick={() => remember({ ipa: !ipa })}>
            {doubtful > 0 ? `${doubtful} doubtful` : ipa ? 'IPA' : 'ARPAbet'}
          </button>
        </Hint>
      );
    }
    case 'mouth':
      return (
        <span className={css.organs}>
          {(['jaw', 'lips', 'tongue'] as const).map((organ) => (
            <span key={organ}>
              <i style={{ background: `var(--${organ})` }} />
              {organ}
            </span>
          ))}
        </span>
      );
    case 'mood':
      return (
        <span className={css.note}>
          {moods.length === 0 ? 'none' : own.guard > 0 ? 'guarded' : 'no guard'}
        </span>
      );
    case 'eyes':
      return <Blinks />;
    case 'head':
      return <span className={css.note}>{moves.length > 0 ? 'and by hand' : 'by voice'}</span>;
    case 'hand': {
      // A pass, or a rest, is one thing of many touches.
      const things = new Set(line.touches.map((t) => (t.pass ? `pass ${t.pass.id}` : `touch ${t.id}`))).size;
      return (
        <span className={css.note}>
          {things === 1 ? 'one thing' : things === 0 ? 'nothing yet' : `${things} things`}
        </span>
      );
    }
    default:
      return null;
  }
}

/** How often the eyes are shut; known once the curves are there. */
function Blinks() {
  const count = useSyncExternalStore(onCurves, () => currentCurves()?.blinks.length ?? 0);
  return <span className={css.note}>{count === 1 ? 'a blink' : `${count} blinks`}</span>;
}
