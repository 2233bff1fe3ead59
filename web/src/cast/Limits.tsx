import type { CastDetail } from '../api/client';
import { set } from '../state';
import { Press } from '../widgets/Press';
import { rewire } from './edit';
import css from './Limits.module.css';
import { longName, partner, plain, sameTarget } from './words';

type Missing = CastDetail['member']['missing'][number];

/** Both sides told once, and what costs the same told together. */
function told(missing: Missing[]): { names: string; cost: string; instead: string | null }[] {
  const byCost = new Map<string, { names: string[]; instead: Set<string> }>();
  for (const one of missing) {
    const entry = byCost.get(one.cost) ?? { names: [], instead: new Set<string>() };
    const bothGone = missing.some((m) => m.control === partner(one.control));
    const name = longName(one.control).replace(bothGone ? / (left|right)$/ : /^$/, '');
    if (!entry.names.includes(name)) entry.names.push(name);
    if (one.stand_in) entry.instead.add(one.stand_in);
    byCost.set(one.cost, entry);
  }
  return [...byCost].map(([cost, { names, instead }]) => ({
    names: names.join(', '),
    cost,
    instead: instead.size > 0 ? [...instead].join(', ') : null,
  }));
}

/** So few missing controls of the skin are no matter for a whole set of shapes. */
const FEW = 6;

const count = (n: number, one: string, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;

const percent = (share: number) => `${Math.round(100 * Math.abs(share))} %`;

/** What this character cannot do, and what is in its way. */
export function Limits({ detail }: { detail: CastDetail }) {
  const { member, facts, conflicts, unmovable, matches, unknown } = detail;
  const { wiring } = member;
  const attached = wiring.attached ?? [];
  const loose = facts.meshes.filter((m) => m.lies_on && !attached.some((a) => a.node === m.node));
  const wired = (match: (typeof matches)[number]) =>
    match.outputs.every((o) => wiring.outputs.some((w) => sameTarget(w.target, o.target)));
  const doubtful = matches.filter((m) => m.sure === 'doubtful' && !wired(m));
  const leave = (conflict: (typeof conflicts)[number]) =>
    rewire(member.id, {
      do: 'leave_out',
      motion: { clip: conflict.clip, node: conflict.node, path: conflict.path },
      out: !conflict.left_out,
    });
  const absent = unmovable.filter((u) => u.absent);
  const missing = told(member.missing);
  const bySkin = member.missing.filter((m) => !/^(tongue|gaze|head)_/.test(m.control));
  return (
    <div className={css.limits}>
      {doubtful.length > 0 && (
        <section>
          <h2>Names to decide</h2>
          {doubtful.map((match) => (
            <p key={match.name}>
              <b>{match.name}</b> <span className="soft">{match.reason}</span>{' '}
              <Press
                kind="link"
                onClick={() => void rewire(member.id, { do: 'take_match', name: match.name })}
              >
                Wire it
              </Press>
            </p>
          ))}
        </section>
      )}
      {conflicts.length > 0 && (
        <section>
          <h2>Conflicts</h2>
          {conflicts.map((c) => (
            <p key={`${c.clip} ${c.node} ${c.path}`}>
              Clip <b>{c.clip}</b> also moves <b>{c.node}</b>{' '}
              <span className="soft">({c.shapes.length > 0 ? c.shapes.join(', ') : c.path})</span>.{' '}
              <Press kind="link" pressed={c.left_out} onClick={() => void leave(c)}>
                {c.left_out ? 'Left out on delivery; keep it' : 'Leave it out on delivery'}
              </Press>
            </p>
          ))}
        </section>
      )}
      {unmovable.length > 0 && (
        <section>
          <h2>Does not move</h2>
          {unmovable
            .filter((u) => !u.absent)
            .map((u) => (
              <p key={u.name}>
                <b>{u.name}</b>: {u.reason}
              </p>
            ))}
          {absent.length > 0 && (
            <p>
              Wired, but not in this file: <b>{absent.map((u) => u.name).join(', ')}</b>.
            </p>
          )}
          {absent.length > 0 && (
            <Press
              hint="Takes the wires away that this file has nothing for, in one step; undo brings them back."
              testId="drop-absent"
              onClick={() => void rewire(member.id, { do: 'drop_absent' })}
            >
              Drop {count(absent.length, 'name')} this face lacks
            </Press>
          )}
        </section>
      )}
      {(loose.length > 0 || attached.length > 0) && (
        <section>
          <h2>Loose parts</h2>
          {loose.map((m) => (
            <p key={m.node}>
              <b>{m.node}</b> lies on {m.lies_on} and does not follow it.{' '}
              <Press
                kind="link"
                onClick={() => void rewire(member.id, { do: 'attach', node: m.node, to: m.lies_on })}
              >
                Attach it
              </Press>
            </p>
          ))}
          {attached.map((a) => (
            <p key={a.node}>
              <b>{a.node}</b> follows {a.to}.{' '}
              <Press kind="link" onClick={() => void rewire(member.id, { do: 'attach', node: a.node })}>
                Detach it
              </Press>
            </p>
          ))}
        </section>
      )}
      <section>
        <h2>What {member.name.replace(/^The /, 'the ')} cannot do</h2>
        {missing.length === 0 && <p>Nothing is missing.</p>}
        {bySkin.length > FEW && (
          <Press testId="give-shapes" onClick={() => set({ castTab: 'shapes' })}>
            Give it shapes …
          </Press>
        )}
        {missing.map((m) => (
          <p key={m.cost}>
            No <b>{m.names}</b>: {m.cost}. {m.instead && <span className="soft">Instead: {m.instead}.</span>}
          </p>
        ))}
      </section>
      {facts.uneven.length > 0 && (
        <section>
          <h2>Left and right differ</h2>
          {facts.uneven.map((u) => (
            <p key={u.left}>
              <b>{u.by > 0 ? u.left : u.right}</b> moves {percent(u.by)} farther than{' '}
              {u.by > 0 ? u.right : u.left}.
            </p>
          ))}
        </section>
      )}
      {unknown.length > 0 && (
        <section>
          <h2>Names without a meaning here</h2>
          <p className="soft">{unknown.join(', ')}. Wire them by hand where they are needed.</p>
        </section>
      )}
      <p className="soft">
        {plain(facts.vertices)} points · {count(facts.shapes.length, 'shape')} ·{' '}
        {count(facts.joints.length, 'node')} · {count(facts.meshes.length, 'mesh', 'meshes')}
      </p>
    </div>
  );
}
