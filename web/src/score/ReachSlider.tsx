import { useState } from 'react';
import { act, gestureOf, isBusy } from '../api/act';
import type { LineView, ReachOf } from '../api/client';

interface Props {
  line: LineView;
  of: ReachOf;
  title: string;
}

const same = (a: ReachOf, b: ReachOf) => a.kind === b.kind && a.of === b.of;

/** How far a sound, a word or a kind of sounds goes towards its full shape; a double click is back at 100 %. */
export function ReachSlider({ line, of, title }: Props) {
  const { id } = line.summary;
  const saved = line.reach.find((r) => !r.aside && same(r.of, of))?.amount ?? 1;
  const [held, setHeld] = useState<number | null>(null);
  const [moving, setMoving] = useState(false);
  const change = (amount: number, goesOn: boolean) => {
    setHeld(amount);
    const gesture = gestureOf(`reach ${of.kind} ${of.of}`, goesOn);
    void act(id, { do: 'reach', of, amount }, { gesture }).then(() => {
      if (!isBusy(id)) setHeld(null);
    });
  };
  const value = held ?? saved;
  return (
    <label title="How far towards the full shape: 100 % is normal. Double-click goes back to it.">
      <span>{title}</span>
      <input
        type="range"
        min={0}
        max={2}
        step={0.01}
        value={value}
        data-testid={`reach-${of.kind}-${of.of}`}
        onChange={(event) => {
          change(Number(event.target.value), moving);
          setMoving(true);
        }}
        onPointerUp={() => setMoving(false)}
        onDoubleClick={() => change(1, false)}
      />
      <span className="num">{Math.round(value * 100)} %</span>
    </label>
  );
}
