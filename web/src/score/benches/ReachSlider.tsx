import { act, gestureOf } from '../../api/act';
import type { LineView, ReachOf } from '../../api/client';
import { SlideRow } from '../../widgets/SlideRow';

interface Props {
  line: LineView;
  of: ReachOf;
  title: string;
  wide?: boolean;
}

const same = (a: ReachOf, b: ReachOf) => a.kind === b.kind && a.of === b.of;

/** How far a sound, a word or a kind of sounds goes towards its full shape; a double click is back at 100 %. */
export function ReachSlider({ line, of, title, wide }: Props) {
  const saved = line.reach.find((r) => !r.aside && same(r.of, of))?.amount ?? 1;
  return (
    <SlideRow
      title={title}
      about="How far it goes towards its full shape: 100 % is normal. A double click goes back to it."
      value={saved}
      high={2}
      usual={1}
      wide={wide}
      testId={`reach-${of.kind}-${of.of}`}
      onChange={(amount, goesOn) =>
        void act(
          line.summary.id,
          { do: 'reach', of, amount },
          { gesture: gestureOf(`reach ${of.kind} ${of.of}`, goesOn) },
        )
      }
    />
  );
}
