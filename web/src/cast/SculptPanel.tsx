import { Menu, TextInput } from '@mantine/core';
import { useState } from 'react';
import {
  type CastDetail,
  type ControlName,
  type FaceRegion,
  type Sculpt,
  type ShapeOp,
  type SplitBy,
  api,
} from '../api/client';
import { useQuery } from '@tanstack/react-query';
import { NumberField } from '../widgets/NumberField';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { SlideRow } from '../widgets/SlideRow';
import { TextField } from '../widgets/TextField';
import { reshape } from './edit';
import { usePose } from './pose';
import { PARTS } from './SculptBar';
import { setSculpt, useSculpt } from './sculpt';
import css from './SculptPanel.module.css';
import { inWords, longName } from './words';

interface Props {
  detail: CastDetail;
  sculpt: Sculpt;
}

/** What is being done to the list of shapes. */
type Doing = 'make' | 'pose' | 'mix' | 'together' | 'between' | 'split' | 'rename' | 'copy' | null;

/** The shapes of a character: one is chosen to be corrected, and they are made, split, named and ordered. */
export function SculptPanel({ detail, sculpt }: Props) {
  const chosen = useSculpt((s) => s.shape);
  const [doing, setDoing] = useState<Doing>(null);
  const [sought, setSought] = useState('');
  const { member } = detail;
  const names = sculpt.shapes.map((s) => s.name);
  const at = chosen === null ? -1 : names.indexOf(chosen);
  const found = sculpt.shapes.filter((s) => inWords(s.name).toLowerCase().includes(sought.toLowerCase()));
  const operate = async (op: ShapeOp, choose?: string) => {
    const made = await reshape(member.id, op);
    if (made && choose !== undefined) setSculpt({ shape: choose });
    if (made) setDoing(null);
  };
  const shift = (by: number) => {
    const order = [...names];
    const [own] = order.splice(at, 1);
    if (own === undefined) return;
    order.splice(at + by, 0, own);
    void operate({ kind: 'order', names: order });
  };
  const blind = !sculpt.edges[0];
  return (
    <aside className={css.panel} data-testid="sculpt-panel">
      <h2>Shapes of {member.name.replace(/^The /, 'the ')}</h2>
      <p className="soft">
        Choose a shape and correct it on the stage. Strokes stay when the shapes are made again.
      </p>
      {blind && names.length > 0 && (
        <p className={css.warn} role="status">
          The lips’ edges were not found: the brush cannot tell the lips apart. Put the points of the mouth
          right under Shapes.
        </p>
      )}
      <div className={css.line}>
        <TextInput
          className={css.sought}
          type="search"
          aria-label="Find a shape"
          placeholder="Find a shape"
          value={sought}
          onChange={(event) => setSought(event.target.value)}
        />
        <Menu position="bottom-end">
          <Menu.Target>
            <Press testId="new-shape">New …</Press>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item onClick={() => setDoing('make')}>Empty, to be drawn by hand</Menu.Item>
            <Menu.Item onClick={() => setDoing('pose')}>Of the pose that is shown</Menu.Item>
            <Menu.Item onClick={() => setDoing('mix')}>Mixed of several shapes</Menu.Item>
            <Menu.Item onClick={() => setDoing('together')}>For two controls on together</Menu.Item>
            <Menu.Item onClick={() => setDoing('between')}>For a control half on its way</Menu.Item>
            <Menu.Item onClick={() => setDoing('copy')}>Copied from another character</Menu.Item>
          </Menu.Dropdown>
        </Menu>
        <span className={css.file}>
          Save as <a href={`/api/cast/${member.id}/glb`}>GLB</a> or{' '}
          <a href={`/api/cast/${member.id}/usd`}>USD</a>
        </span>
      </div>
      {chosen !== null && at >= 0 && (
        <div className={css.line} role="group" aria-label={`What to do with ${inWords(chosen)}`}>
          <Press onClick={() => setDoing('rename')}>Rename …</Press>
          <Press hint="Makes two of it, by sides or by a part of the face" onClick={() => setDoing('split')}>
            Split …
          </Press>
          <Press disabled={at === 0 || sought !== ''} onClick={() => shift(-1)}>
            Up
          </Press>
          <Press disabled={at === names.length - 1 || sought !== ''} onClick={() => shift(1)}>
            Down
          </Press>
          <Press
            onClick={() => {
              setSculpt({ shape: null });
              void operate({ kind: 'remove', name: chosen });
            }}
          >
            Remove
          </Press>
        </div>
      )}
      <Form
        key={doing}
        doing={doing}
        detail={detail}
        names={names}
        chosen={chosen}
        onDone={() => setDoing(null)}
        operate={operate}
      />
      <ul className={css.list}>
        {found.map((s) => (
          <li key={s.name}>
            <button
              type="button"
              className={css.item}
              data-chosen={s.name === chosen || undefined}
              aria-pressed={s.name === chosen}
              data-testid={`shape-${s.name}`}
              onClick={() => setSculpt({ shape: s.name === chosen ? null : s.name })}
            >
              <span>{inWords(s.name)}</span>
              <span className="soft">{s.made ? 'made by hand' : s.changed ? 'corrected' : ''}</span>
            </button>
          </li>
        ))}
      </ul>
      {names.length === 0 && <p className="soft">It has no shapes yet: give it some under Shapes.</p>}
    </aside>
  );
}

interface FormProps {
  doing: Doing;
  detail: CastDetail;
  names: string[];
  chosen: string | null;
  onDone: () => void;
  operate: (op: ShapeOp, choose?: string) => Promise<void>;
}

const TITLES: Record<NonNullable<Doing>, string> = {
  make: 'A new shape that moves nothing yet',
  pose: 'A shape of the pose that is shown',
  mix: 'A shape mixed of others',
  together: 'A shape for two controls on together',
  between: 'A shape for a control on its way',
  split: 'Split it in two',
  rename: 'Call it otherwise',
  copy: 'Copy shapes from a character of the same meshes',
};

/** What is asked before something is done to the shapes. */
function Form({ doing, detail, names, chosen, onDone, operate }: FormProps) {
  const { controls } = usePose();
  const outputs = detail.member.wiring.outputs;
  const driven = [...new Set(outputs.flatMap((o) => o.feeds.map((f) => f.control)))].sort();
  const [first, setFirst] = useState<ControlName>(driven[0] ?? 'jaw_open');
  const [second, setSecond] = useState<ControlName>(driven[1] ?? driven[0] ?? 'jaw_open');
  const [half, setHalf] = useState(0.5);
  const [part, setPart] = useState<FaceRegion | 'sides'>('sides');
  const [mix, setMix] = useState<Record<string, number>>(chosen === null ? {} : { [chosen]: 1 });
  if (doing === null) return null;
  const own = chosen ?? '';
  const make = (name: string) => {
    if (doing === 'make') void operate({ kind: 'make', name, of: {} }, name);
    if (doing === 'mix') void operate({ kind: 'make', name, of: mix }, name);
    if (doing === 'pose')
      void operate({ kind: 'pose', name, controls: controls as Record<string, number> }, name);
    if (doing === 'together') void operate({ kind: 'together', name, first, second }, name);
    if (doing === 'between') void operate({ kind: 'between', name, control: first, at: half }, name);
    if (doing === 'rename') void operate({ kind: 'rename', name: own, to: name }, name);
    if (doing === 'split') {
      const [one, two] = part === 'sides' ? ['left', 'right'] : [part, 'rest'];
      const by: SplitBy = part === 'sides' ? { by: 'sides' } : { by: 'region', region: part };
      const into: [string, string] = [`${name}_${one}`, `${name}_${two}`];
      void operate({ kind: 'split', name: own, into, by }, into[0]);
    }
  };
  const control = (label: string, value: ControlName, put: (c: ControlName) => void) => (
    <Pick
      label={label}
      labelled
      value={value}
      options={driven.map((c) => [c, longName(c)] as const)}
      onChange={put}
    />
  );
  const posed = Object.values(controls).some((v) => v !== 0);
  return (
    <section className={css.form} aria-label={TITLES[doing]}>
      <h3>{TITLES[doing]}</h3>
      {doing === 'pose' && !posed && (
        <p className="soft">Pose the face first, under Wiring or with the poses below the stage.</p>
      )}
      {doing === 'together' && (
        <div className={css.line}>
          {control('with', first, setFirst)}
          {control('and', second, setSecond)}
        </div>
      )}
      {doing === 'between' && (
        <div className={css.line}>
          {control('of', first, setFirst)}
          <NumberField
            label="in full at"
            value={half}
            digits={2}
            step={0.05}
            low={0.05}
            high={0.95}
            width={60}
            onChange={setHalf}
          />
        </div>
      )}
      {doing === 'split' && (
        <Pick
          label="Into"
          labelled
          value={part}
          options={[
            ['sides', 'left and right'],
            ...PARTS.map(([region, name]) => [region, `${name} and the rest`] as const),
          ]}
          onChange={setPart}
        />
      )}
      {doing === 'mix' && (
        <>
          <Pick
            label="Add"
            labelled
            value=""
            options={[['', 'choose a shape'], ...names.map((n) => [n, inWords(n)] as const)]}
            onChange={(name) => name && setMix({ ...mix, [name]: mix[name] ?? 1 })}
          />
          {Object.entries(mix).map(([name, value]) => (
            <SlideRow
              key={name}
              title={inWords(name)}
              value={value}
              low={-1}
              high={1.5}
              usual={1}
              onChange={(next) => setMix({ ...mix, [name]: next })}
            />
          ))}
        </>
      )}
      {doing === 'copy' ? (
        <CopyForm detail={detail} operate={operate} />
      ) : (
        <TextField
          label="Name"
          placeholder="Name"
          testId="shape-name"
          value={doing === 'rename' || doing === 'split' ? own : ''}
          onSubmit={make}
        >
          {(text) => (
            <Press kind="main" type="submit" disabled={!text.trim()} testId="shape-make">
              {doing === 'rename' ? 'Rename' : doing === 'split' ? 'Split' : 'Make'}
            </Press>
          )}
        </TextField>
      )}
      <Press kind="quiet" onClick={onDone}>
        Leave it
      </Press>
    </section>
  );
}

/** Chooses another character and its shapes. */
function CopyForm({ detail, operate }: { detail: CastDetail; operate: FormProps['operate'] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const others = (cast.data ?? []).filter((m) => m.id !== detail.member.id);
  const [from, setFrom] = useState('');
  const other = useQuery({
    queryKey: ['castMember', Number(from)],
    queryFn: () => api.castMember(Number(from)),
    enabled: from !== '',
  });
  const [named, setNamed] = useState('');
  const shapes = other.data?.facts.shapes ?? [];
  return (
    <div className={css.line}>
      <Pick
        label="From"
        labelled
        value={from}
        options={[['', 'choose a character'], ...others.map((m) => [String(m.id), m.name] as const)]}
        onChange={setFrom}
      />
      <Pick
        label="Shape"
        labelled
        value={named}
        options={[['', 'all'], ...shapes.map((n) => [n, inWords(n)] as const)]}
        onChange={setNamed}
      />
      <Press
        kind="main"
        disabled={from === '' || shapes.length === 0}
        onClick={() => void operate({ kind: 'copy', from: Number(from), names: named ? [named] : shapes })}
      >
        Copy
      </Press>
    </div>
  );
}
