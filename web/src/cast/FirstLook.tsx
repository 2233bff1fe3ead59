import type { ControlName } from '../api/client';
import { Press } from '../widgets/Press';
import { askPose, atRest, usePose } from './pose';
import { startWalk } from './walk';

type Pose = Partial<Record<ControlName, number>>;

/** Poses that tell at once whether shapes are any good. */
const POSES: [string, Pose][] = [
  ['at rest', {}],
  ['jaw open', { jaw_open: 0.85 }],
  ['open, sealed', { jaw_open: 0.6, lips_close: 1 }],
  ['spread', { jaw_open: 0.2, lips_spread_left: 1, lips_spread_right: 1 }],
  ['round', { jaw_open: 0.3, lips_round: 1 }],
  [
    'lip to teeth',
    { jaw_open: 0.12, lip_lower_tuck: 1, lip_upper_raise_left: 0.3, lip_upper_raise_right: 0.3 },
  ],
  ['lids shut', { lid_close_left: 1, lid_close_right: 1 }],
  [
    'happy',
    { corner_up_left: 1, corner_up_right: 1, cheek_raise_left: 0.8, cheek_raise_right: 0.8, jaw_open: 0.25 },
  ],
  [
    'cross',
    {
      brow_down_left: 1,
      brow_down_right: 1,
      corner_down_left: 0.6,
      corner_down_right: 0.6,
      nose_wrinkle_left: 0.7,
      nose_wrinkle_right: 0.7,
    },
  ],
];

/** Poses of the face at a click, and the test walk. */
export function FirstLook({ member, made }: { member: number; made: boolean }) {
  const controls = usePose((s) => s.controls);
  const now = JSON.stringify(controls);
  if (!made) {
    return (
      <p className="soft">
        When the shapes are made, their first look is here: poses at a click, and the test walk through every
        control and sound.
      </p>
    );
  }
  return (
    <>
      <p style={{ margin: '0 0 8px' }}>
        Click a pose to see it on the stage. Undo gives the face back as it came.
      </p>
      <div style={{ display: 'flex', flexWrap: 'wrap', gap: 6 }}>
        {POSES.map(([title, pose]) => (
          <Press
            key={title}
            kind="chip"
            pressed={now === JSON.stringify(pose)}
            onClick={() => {
              atRest(null);
              usePose.setState({ controls: pose });
              askPose(member);
            }}
          >
            {title}
          </Press>
        ))}
        <Press onClick={() => void startWalk()}>Test walk</Press>
      </div>
    </>
  );
}
