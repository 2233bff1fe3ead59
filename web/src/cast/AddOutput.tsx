import { Popover, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { CastDetail, ControlName, Target } from '../api/client';
import { Press } from '../widgets/Press';
import css from './AddOutput.module.css';
import { rewire } from './edit';
import { usePose } from './pose';

type Move = 'rotation' | 'translation' | 'scale' | 'shown';

const MOVES: [Move, string][] = [
  ['rotation', 'turns'],
  ['translation', 'moves'],
  ['scale', 'changes size'],
  ['shown', 'is shown'],
];

const AXES: [string, [number, number, number]][] = [
  ['x', [1, 0, 0]],
  ['y', [0, 1, 0]],
  ['z', [0, 0, 1]],
];

/** Wires the chosen control to one more thing. */
export function AddOutput({ detail, control }: { detail: CastDetail; control: ControlName }) {
  const [open, setOpen] = useState(false);
  const [search, setSearch] = useState('');
  const [joint, setJoint] = useState<string | null>(null);
  const { facts, member } = detail;
  const { outputs } = member.wiring;
  const found = (name: string) => name.toLowerCase().includes(search.trim().toLowerCase());
  const wired = (name: string) => outputs.some((o) => o.target.kind === 'morph' && o.target.name === name);
  const peek = (name: string | null) => usePose.setState({ peek: name });
  const close = () => {
    setOpen(false);
    setJoint(null);
    setSearch('');
    peek(null);
  };
  const add = (target: Target) => {
    close();
    void rewire(member.id, { do: 'wire', control, target });
  };
  const addJoint = (node: string, kind: Move, axis: [number, number, number]) =>
    add(kind === 'shown' ? { kind, node } : { kind, node, axis });
  return (
    <Popover opened={open} onChange={(o) => (o ? setOpen(true) : close())} position="right-end" width={320}>
      <Popover.Target>
        <Press testId="add-output" onClick={() => (open ? close() : setOpen(true))}>
          Add an output
        </Press>
      </Popover.Target>
      <Popover.Dropdown className={css.details}>
        {joint === null ? (
          <>
            <TextInput
              autoFocus
              placeholder="Find a shape or a joint"
              aria-label="Find a shape or a joint"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            <div className={css.choices} onMouseLeave={() => peek(null)}>
              {facts.shapes.filter(found).map((name) => (
                <button
                  key={name}
                  className={css.choice}
                  onMouseEnter={() => peek(name)}
                  onFocus={() => peek(name)}
                  onClick={() => add({ kind: 'morph', name })}
                >
                  {name}
                  <span className="soft">{wired(name) ? 'shape, wired' : 'shape'}</span>
                </button>
              ))}
              {facts.joints.filter(found).map((name) => (
                <button key={`joint ${name}`} className={css.choice} onClick={() => setJoint(name)}>
                  {name}
                  <span className="soft">joint</span>
                </button>
              ))}
            </div>
            <span className="soft">Point at a shape to see what it does.</span>
          </>
        ) : (
          <>
            <b>{joint}</b>
            {MOVES.map(([kind, words]) => (
              <div key={kind} className={css.moves}>
                <span>{words}</span>
                {kind === 'shown' ? (
                  <Press onClick={() => addJoint(joint, kind, [1, 0, 0])}>from one half on</Press>
                ) : (
                  AXES.map(([axis, along]) => (
                    <Press key={axis} onClick={() => addJoint(joint, kind, along)}>
                      {kind === 'rotation' ? `about ${axis}` : `along ${axis}`}
                    </Press>
                  ))
                )}
              </div>
            ))}
          </>
        )}
      </Popover.Dropdown>
    </Popover>
  );
}
