import { Checkbox, Progress } from '@mantine/core';
import type { LandmarkName, Shapes } from '../api/client';
import type { Stage } from '../stage/stage';
import { Hint } from '../widgets/Hint';
import { Press } from '../widgets/Press';
import { SlideRow } from '../widgets/SlideRow';
import { KINDS, cancel, lookAtFace, make, placeOf, put, putBack, usePut } from './landmarks';
import css from './ShapesPanel.module.css';

/** Which sliders of strength there are: shapes of both sides together. */
const STRENGTHS: [string, string[]][] = [
  ['jaw open', ['jaw_open', 'lips_close']],
  ['round', ['lips_round']],
  ['push forward', ['lips_protrude']],
  ['spread', ['lips_spread_left', 'lips_spread_right']],
  ['corners', ['corner_up_left', 'corner_up_right', 'corner_down_left', 'corner_down_right']],
  ['cheeks', ['cheek_raise_left', 'cheek_raise_right', 'cheek_puff']],
  [
    'brows',
    [
      'brow_inner_up_left',
      'brow_inner_up_right',
      'brow_outer_up_left',
      'brow_outer_up_right',
      'brow_down_left',
      'brow_down_right',
    ],
  ],
];

const percent = (hundredths: number) => `${hundredths < 0.05 ? 'less than 0.1' : hundredths.toFixed(1)} %`;

/** A small face with one point on it. */
function Where({ at, colour }: { at: [number, number]; colour: string }) {
  return (
    <svg className={css.where} viewBox="0 0 100 104" aria-hidden>
      <path d="M50 6 C78 6 86 26 84 48 C82 72 68 92 50 92 C32 92 18 72 16 48 C14 26 22 6 50 6 Z" />
      <path d="M28 39 Q35 33 43 40 Q35 44 28 39 M57 40 Q65 33 72 39 Q65 44 57 40" />
      <path d="M50 44 L46 58 Q50 61 54 58 M39 71 Q50 67 61 71 Q50 77 39 71" />
      <circle cx={at[0]} cy={at[1]} r="8" style={{ fill: `var(--${colour})` }} />
    </svg>
  );
}

/** What of one surface can be cut apart. */
const CUTS = [
  {
    wish: 'cutLips',
    done: 'cut_lips',
    warning: 'lips_closed',
    testId: 'cut-lips',
    title: 'Cut the lips apart',
    says: 'Its lips are one surface: they are parted on the line through the points of the mouth, with a dark bag behind.',
  },
  {
    wish: 'cutLids',
    done: 'cut_lids',
    warning: 'lids_closed',
    testId: 'cut-lids',
    title: 'Cut the lids from the eyes',
    says: 'Its lids are one surface with the eyes between them: what lies between the points of each eye becomes an eye of its own, which goes on behind the lids.',
  },
] as const;

interface Props {
  member: number;
  name: string;
  shapes: Shapes;
  stage: () => Stage | null;
}

/** The points of a face, how its shapes are made, and what came of it. */
export function ShapesPanel({ member, name, shapes, stage }: Props) {
  const { points, byHand, chosen, mirrored, symmetric, joints, jaw, strengths, loose, ...cuts } = usePut();
  const { made, under_way: underWay } = shapes;
  const look = (mark: LandmarkName) => {
    const kind = KINDS.find((k) => k.name === mark);
    const at = points && placeOf(points, mark);
    put({ chosen: mark });
    if (kind && at) stage()?.lookAtPoint(at, 0.9 * shapes.width, kind.turn);
  };
  const wrong = (mark: LandmarkName) => made?.report.warnings.some((w) => w.landmark === mark);
  const state = (mark: LandmarkName) => {
    if (!points || !placeOf(points, mark)) return 'left out';
    if (wrong(mark) && !byHand.includes(mark)) return 'look at it';
    if (byHand.includes(mark)) return 'put by hand';
    if (made) return 'as it was used';
    return shapes.rough ? 'put it there' : 'proposed';
  };
  // What parts already is not offered to be cut.
  const offered = CUTS.filter(
    (c) => cuts[c.wish] || made?.[c.done] || made?.report.warnings.some((w) => w.code === c.warning),
  );
  const own = KINDS.find((k) => k.name === chosen);
  return (
    <aside className={css.panel} data-testid="shapes-panel">
      <h2>{made ? `Shapes of ${name.replace(/^The /, 'the ')}` : `Give ${name} shapes`}</h2>
      <p className="soft">
        Thirteen points tell where the face is; then it gets every shape that it lacks. The file that came
        stays as it is.
      </p>
      {shapes.rough && (
        <p className={css.warn} role="status">
          The points could not be proposed: {shapes.rough}.
        </p>
      )}
      <ul className={css.list}>
        {KINDS.map((k) => (
          <li key={k.name}>
            <button
              type="button"
              className={css.item}
              data-chosen={chosen === k.name || undefined}
              data-testid={`landmark-${k.name}`}
              onClick={() => look(k.name)}
            >
              <i style={{ background: `var(--${k.colour})` }} />
              <span>{k.title}</span>
              <span className={wrong(k.name) ? css.warn : 'soft'}>{state(k.name)}</span>
            </button>
          </li>
        ))}
      </ul>
      <div className={css.about}>
        {own ? (
          <>
            <Where at={own.at} colour={own.colour} />
            <p>
              <b>{own.title}</b>
              <br />
              {own.about}
            </p>
          </>
        ) : (
          <p className="soft">
            Click a point in the list to look at it from near. Drag it on the stage, or focus it there and use
            the arrow keys: it stays on the skin.
          </p>
        )}
      </div>
      <div className={css.choices}>
        <Checkbox
          label="Both sides move together"
          checked={mirrored}
          onChange={(event) => put({ mirrored: event.currentTarget.checked })}
        />
        <Hint says="Left and right of every shape become mirror images, where the mesh is one.">
          <Checkbox
            label="Shapes even on both sides"
            checked={symmetric}
            onChange={(event) => put({ symmetric: event.currentTarget.checked })}
          />
        </Hint>
        {offered.map((c) => (
          <Hint key={c.wish} says={c.says}>
            <Checkbox
              label={c.title}
              checked={cuts[c.wish]}
              onChange={(event) => put({ [c.wish]: event.currentTarget.checked })}
            />
          </Hint>
        ))}
        {shapes.lacks_joints && (
          <>
            <Hint says="It has no joints: eyes, head and neck get some, with soft weights along the neck.">
              <Checkbox
                label="Eyes and head that turn"
                checked={joints}
                onChange={(event) => put({ joints: event.currentTarget.checked })}
              />
            </Hint>
            <Hint says="The jaw opens on an arc by a joint with soft weights, as games like it, instead of by a shape.">
              <Checkbox
                label="A jaw that turns"
                checked={joints && jaw}
                disabled={!joints}
                onChange={(event) => put({ jaw: event.currentTarget.checked })}
              />
            </Hint>
          </>
        )}
      </div>
      {underWay === null || underWay === undefined ? (
        <div className={css.row}>
          <Press kind="main" testId="make-shapes" onClick={() => void make(member)}>
            {made ? 'Make them again' : 'Give it shapes'}
          </Press>
          <Press disabled={byHand.length === 0} onClick={() => putBack(shapes)}>
            Points as before
          </Press>
          <Press onClick={() => lookAtFace(stage(), points, shapes.width)}>Whole face</Press>
        </div>
      ) : (
        <div className={css.row} role="status">
          <Progress className={css.bar} value={100 * underWay} aria-label="how far the shapes are" />
          <Press testId="cancel-shapes" onClick={() => void cancel(member)}>
            Cancel
          </Press>
        </div>
      )}
      {made && (
        <>
          <h3>What the fit says</h3>
          <Said member={member} shapes={shapes} loose={loose} />
          <h3>How strong</h3>
          {STRENGTHS.map(([title, names]) => (
            <SlideRow
              key={title}
              title={title}
              value={strengths[names[0] ?? ''] ?? 1}
              low={0}
              high={1.5}
              usual={1}
              onChange={(value) =>
                put({ strengths: { ...strengths, ...Object.fromEntries(names.map((n) => [n, value])) } })
              }
            />
          ))}
          <p className="soft small">
            Strengths count when the shapes are made again; that takes a few seconds.
          </p>
        </>
      )}
    </aside>
  );
}

function Said({ member, shapes, loose }: { member: number; shapes: Shapes; loose: boolean }) {
  const report = shapes.made?.report;
  if (!report) return null;
  const { seal, lids, warnings } = report;
  const shut = Math.max(0, ...lids.map((l) => l.gap));
  return (
    <div className={css.said} data-testid="shapes-said">
      {warnings.map((w) => (
        <p key={w.code + w.message} className={css.warn}>
          {w.message}
        </p>
      ))}
      {CUTS.filter((c) => warnings.some((w) => w.code === c.warning)).map((c) => (
        <Press
          key={c.wish}
          testId={c.testId}
          onClick={() => {
            put({ [c.wish]: true });
            void make(member);
          }}
        >
          {c.title}
        </Press>
      ))}
      <p>
        {report.shapes.length} shapes made.{' '}
        {seal && <>Sealed lips leave {percent(seal.full)} of the mouth’s width open. </>}
        {lids.length === 2 && <>Shut lids leave {percent(shut)}. </>}
        {report.eyes_found ? 'The eyes were found as meshes.' : 'The eyes were guessed from their corners.'}
      </p>
      <p className="soft">
        {[
          ...new Set(
            report.parts
              .filter((p) => p.role !== 'follows')
              .map((p) => `${p.name}: ${p.role.replace('_', ' ')}`),
          ),
        ].join(' · ')}
      </p>
      <Checkbox
        label="Show where the fit is loose"
        checked={loose}
        onChange={(event) => put({ loose: event.currentTarget.checked })}
      />
    </div>
  );
}
