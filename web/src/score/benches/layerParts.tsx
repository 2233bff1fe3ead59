import { Popover } from '@mantine/core';
import type { LayerSettings, LineView, RegionName } from '../../api/client';
import { REGIONS } from '../../cast/words';
import type { LayerKey, LayerName } from '../../state';
import { NumberField } from '../../widgets/NumberField';
import { Press } from '../../widgets/Press';
import { RegionPick } from '../../widgets/RegionPick';
import { SlideRow } from '../../widgets/SlideRow';
import { deleteChosen } from '../deleting';
import { change, changeSettings, drawSpan, levelHere, remove, spansOf } from '../layers';
import css from './bench.module.css';

/** Parts of the face that each layer may move. */
const PARTS: Record<LayerKey, RegionName[]> = {
  mouth: ['jaw', 'lips', 'tongue'],
  mood: REGIONS,
  eyes: ['gaze', 'lids', 'brows'],
  head: ['head'],
  hand: REGIONS,
};

/** How much of a look the head does: asked for with the eyes and with the head. */
export function HeadShare({ value }: { value: number }) {
  return (
    <SlideRow
      tight
      title="Head’s share"
      about="How much of a look the head does; 50 % is as people do"
      value={value}
      usual={0.5}
      onChange={(head_share, on) => changeSettings({ head_share }, on)}
    />
  );
}

/** The head of a span's column: what it is, from when to when, and away with it. */
export function SpanHead({
  line,
  name,
  id,
  children,
}: {
  line: LineView;
  name: LayerName;
  id: number;
  children: React.ReactNode;
}) {
  const own = spansOf(line, name).find((s) => s.id === id);
  if (!own) return null;
  const { start, end } = own.span;
  return (
    <>
      <div className={`${css.row ?? ''} ${css.between ?? ''}`}>
        {children}
        <Press kind="quiet" gives="delete" cap onClick={deleteChosen}>
          Delete
        </Press>
      </div>
      <div className={css.row}>
        <NumberField
          labelled
          label="from"
          suffix=" s"
          low={0}
          value={start}
          width={78}
          onChange={(to) => drawSpan(name, id, { start: to, end })}
        />
        <NumberField
          labelled
          label="to"
          suffix=" s"
          low={0}
          value={end}
          width={78}
          onChange={(to) => drawSpan(name, id, { start, end: to })}
        />
      </div>
    </>
  );
}

/** The bar of a layer's bench: whether it plays, alone, how much, and what else there is to it. */
export function LayerBar({
  line,
  layer,
  title,
  still,
  children,
}: {
  line: LineView;
  layer: LayerKey;
  title: string;
  /** Whether what stands in it is as wide as it is, and no slider. */
  still?: boolean;
  children?: React.ReactNode;
}) {
  const own = line.layers.settings[layer];
  const levels = line.layers.levels.filter((l) => l.layer === layer);
  const changeLayer = (next: Partial<LayerSettings['mood']>, goesOn = false) =>
    void change({ do: 'layer', layer, change: next }, `${layer} ${Object.keys(next).join(' ')}`, goesOn);
  const without = own.without ?? [];
  return (
    <div className={css.bar}>
      <h2>{title}</h2>
      <div className={css.row}>
        <Press
          kind="chip"
          pressed={own.on}
          testId={`plays-${layer}`}
          hint="Whether this layer plays"
          onClick={() => changeLayer({ on: !own.on })}
        >
          {own.on ? 'plays' : 'silent'}
        </Press>
        <Press
          kind="chip"
          pressed={own.alone}
          hint="Only this layer plays"
          onClick={() => changeLayer({ alone: !own.alone })}
        >
          alone
        </Press>
      </div>
      <div className={css.slide}>
        <SlideRow
          tight
          title="Amount"
          about="How much of the whole layer plays"
          value={own.amount}
          high={2}
          usual={1}
          onChange={(amount, on) => changeLayer({ amount }, on)}
        />
      </div>
      {children && <div className={still ? css.still : css.slide}>{children}</div>}
      <Popover width={310} position="bottom-end">
        <Popover.Target>
          <Press kind="quiet" testId={`more-${layer}`}>
            More …
          </Press>
        </Popover.Target>
        <Popover.Dropdown>
          <div className={css.column}>
            <h3>Over time</h3>
            <span className={css.note}>
              A level is a handle on the stave: from it on the layer plays as much as the handle is high.
            </span>
            <div className={css.row}>
              <Press testId={`level-here-${layer}`} onClick={() => levelHere(layer)}>
                Level here
              </Press>
              <Press hint="From the playhead on this layer is silent" onClick={() => levelHere(layer, 0)}>
                Silent from here
              </Press>
              {levels.length > 0 && (
                <Press kind="quiet" onClick={() => remove(levels.map((l) => l.id))}>
                  Delete all levels
                </Press>
              )}
            </div>
            <h3>Where</h3>
            <RegionPick
              label={`Parts of the face that ${title} moves`}
              of={PARTS[layer]}
              on={PARTS[layer].filter((r) => !without.includes(r))}
              onChange={(on) => changeLayer({ without: PARTS[layer].filter((r) => !on.includes(r)) })}
            />
            {layer !== 'hand' && (
              <>
                <h3>Chance</h3>
                <Press
                  hint="Small things of this layer otherwise: another draw of the line’s seed"
                  onClick={() => changeLayer({ draw: (own.draw ?? 0) + 1 })}
                >
                  Draw the small things anew
                </Press>
              </>
            )}
          </div>
        </Popover.Dropdown>
      </Popover>
    </div>
  );
}
