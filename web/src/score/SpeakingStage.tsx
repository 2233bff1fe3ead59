import { useMemo, useRef } from 'react';
import type { CastMember, LineView } from '../api/client';
import { type Curves, comparedCurves, currentCurves, performed } from '../api/live';
import type { Wish } from '../stage/arrange';
import { StageView } from '../stage/StageView';
import type { Stage } from '../stage/stage';
import { get, set, useView } from '../state';
import { StageMarks } from './StageMarks';
import { at } from './line';
import { played } from './hand';
import * as player from './player';

interface Props {
  member: CastMember;
  /** The line, where its marks can be placed. */
  line?: LineView;
  wish?: Wish;
  children?: React.ReactNode;
}

/** The values of curves at the moment that is heard. */
function read(curves: Curves | null) {
  const position = player.now() * (curves?.hz ?? 0);
  return (target: number) => {
    const curve = curves?.outputs[target];
    return curve ? at(curve, position) : 0;
  };
}

/** What is on stage: the line, or the snapshot it is compared with. */
const source = () => {
  const live = performed();
  if (live) return (target: number) => live[target] ?? 0;
  return read(get().compare?.how === 'then' ? comparedCurves() : currentCurves());
};

/** What stands beside it. */
const other = () => (get().compare?.how === 'split' ? read(comparedCurves()) : null);

/** The character, posed by the curves of the line. */
export function SpeakingStage({ member, line, wish, children }: Props) {
  const stage = useRef<Stage | null>(null);
  const placing = useView((s) => s.bench === 'eyes');
  const jaw = useMemo(
    () =>
      member.wiring.outputs.findIndex(
        (o) => o.target.kind === 'morph' && o.feeds.some((f) => f.control === 'jaw_open'),
      ),
    [member],
  );
  return (
    <StageView
      member={member}
      source={source}
      other={other}
      wish={wish}
      label={`${member.name} speaking`}
      onPoint={(target) => {
        // The control that does most to it now: why it does is what was asked.
        const feeds = member.wiring.outputs[target]?.feeds ?? [];
        const does = (f: (typeof feeds)[number]) => Math.abs(played(f.control, player.now()) * (f.gain ?? 1));
        const [first] = [...feeds].sort((a, b) => does(b) - does(a));
        if (first) set({ curves: [first.control], bench: 'why' });
      }}
      onShown={(element, value, made) => {
        stage.current = made;
        // For tests: what the face shows of the jaw.
        const now = value(jaw).toFixed(3);
        if (element.dataset.jaw !== now) element.dataset.jaw = now;
      }}
    >
      {placing && line && <StageMarks line={line} stage={stage} />}
      {children}
    </StageView>
  );
}
