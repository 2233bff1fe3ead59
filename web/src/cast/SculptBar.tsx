import { Checkbox } from '@mantine/core';
import type { FaceRegion } from '../api/client';
import { Choice } from '../widgets/Choice';
import { Pick } from '../widgets/Pick';
import { PLAIN, SlideRow } from '../widgets/SlideRow';
import { type BrushKind, setSculpt, useSculpt } from './sculpt';
import css from './SculptPanel.module.css';

const BRUSHES: [BrushKind, string][] = [
  ['move', 'Move'],
  ['smooth', 'Smooth'],
  ['back', 'As it was'],
];

const DOES: Record<BrushKind, string> = {
  move: 'Drag the skin: what lies within the ring goes along, less towards its edge.',
  smooth: 'Stroke over the skin: neighbours are moved more alike.',
  back: 'Stroke over the skin: the shape becomes what it was before any stroke.',
};

export const PARTS: [FaceRegion, string][] = [
  ['upper_lip', 'the upper lip'],
  ['lower_lip', 'the lower lip'],
  ['lids', 'the lids'],
  ['brows', 'the brows'],
  ['nose', 'the nose'],
  ['cheeks', 'the cheeks'],
  ['chin', 'the chin'],
];

/** What the brush does and how. */
export function SculptBar() {
  const { shape, brush, radius, strength, mirrored, seal, only, weight } = useSculpt();
  return (
    <div className={css.bar}>
      <div className={css.line}>
        <Choice label="Brush" value={brush} options={BRUSHES} onChange={(brush) => setSculpt({ brush })} />
        <Pick
          label="Change only"
          value={only ?? 'all'}
          options={[['all', 'the whole face'], ...PARTS]}
          onChange={(part) => setSculpt({ only: part === 'all' ? null : part })}
        />
      </div>
      <p className="soft">
        {shape === null ? 'Choose a shape in the list first.' : DOES[brush]} The right button turns the face.
      </p>
      <SlideRow
        title="radius"
        about="How far the brush reaches along the skin, in mouth widths"
        value={radius}
        low={0.1}
        high={2}
        usual={0.5}
        unit={PLAIN}
        testId="brush-radius"
        onChange={(radius) => setSculpt({ radius })}
      />
      {brush !== 'move' && (
        <SlideRow
          title="strength"
          value={strength}
          low={0.05}
          usual={0.5}
          onChange={(strength) => setSculpt({ strength })}
        />
      )}
      <SlideRow
        title="shown at"
        about="How far the shape is on while you correct it"
        value={weight}
        low={0.1}
        usual={1}
        testId="shown-at"
        onChange={(weight) => setSculpt({ weight })}
      />
      <div className={css.line}>
        <Checkbox
          label="Both sides alike"
          checked={mirrored}
          onChange={(event) => setSculpt({ mirrored: event.currentTarget.checked })}
        />
        <Checkbox
          label="Shut stays shut"
          checked={seal}
          onChange={(event) => setSculpt({ seal: event.currentTarget.checked })}
        />
      </div>
    </div>
  );
}
