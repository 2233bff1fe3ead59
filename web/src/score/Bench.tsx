import { Tabs } from '@mantine/core';
import type { CastMember, Grid, LineView } from '../api/client';
import { type CommandId, entryOf, shownKey } from '../keys';
import { type Bench as Name, set, useView } from '../state';
import { Hint } from '../widgets/Hint';
import { useKeys } from '../widgets/Key';
import css from './Bench.module.css';
import { CheckBench } from './benches/CheckBench';
import { CurveBench } from './benches/CurveBench';
import { DictionBench } from './benches/DictionBench';
import { EyesBench } from './benches/EyesBench';
import { HandBench } from './benches/HandBench';
import { HeadBench } from './benches/HeadBench';
import { LineBench } from './benches/LineBench';
import { MoodBench } from './benches/MoodBench';
import { StepsBench } from './benches/StepsBench';
import { WhyBench } from './benches/WhyBench';
import { WordBench } from './benches/WordBench';
import { useFindings } from './useFindings';

const BENCHES: [Name, string, CommandId][] = [
  ['line', 'Line', 'benchLine'],
  ['word', 'Word', 'benchWord'],
  ['diction', 'Diction', 'benchDiction'],
  ['mood', 'Mood', 'benchMood'],
  ['eyes', 'Eyes', 'benchEyes'],
  ['head', 'Head', 'benchHead'],
  ['hand', 'By hand', 'benchHand'],
  ['curve', 'Curve', 'benchCurve'],
  ['why', 'Why', 'benchWhy'],
  ['check', 'Check', 'benchCheck'],
  ['steps', 'Steps', 'benchSteps'],
];

/** The bench beside the stage: one of several, whatever is chosen on the staves. */
export function Bench({ line, cast, grid }: { line: LineView; cast: CastMember[]; grid: Grid }) {
  const bench = useView((s) => s.bench);
  return (
    <Tabs
      className={css.bench}
      value={bench}
      onChange={(name) => name && set({ bench: name as Name })}
      keepMounted={false}
      activateTabWithKeyboard
    >
      <Tabs.List className={css.tabs} aria-label="Benches">
        {BENCHES.map(([name, title, id]) => (
          <Tab key={name} name={name} title={title} id={id}>
            {name === 'check' && <Count line={line} />}
          </Tab>
        ))}
      </Tabs.List>
      <Tabs.Panel className={css.panel} value={bench} tabIndex={-1}>
        <Open bench={bench} line={line} cast={cast} grid={grid} />
      </Tabs.Panel>
    </Tabs>
  );
}

function Tab({
  name,
  title,
  id,
  children,
}: {
  name: Name;
  title: string;
  id: CommandId;
  children?: React.ReactNode;
}) {
  const keys = useKeys(id);
  const says =
    keys.length > 0 ? `${entryOf(id).name} (${keys.map(shownKey).join(' or ')})` : entryOf(id).name;
  return (
    <Hint says={says}>
      <Tabs.Tab
        value={name}
        className={css.tab}
        data-testid={`bench-${name}`}
        data-first={name === 'why' || undefined}
      >
        {title}
        {children}
      </Tabs.Tab>
    </Hint>
  );
}

/** How much there is to be mended. */
function Count({ line }: { line: LineView }) {
  const open = useFindings(line).data?.filter((f) => f.dismissed == null).length ?? 0;
  return open > 0 ? <b className={css.count}>{open}</b> : null;
}

function Open({ bench, line, cast, grid }: { bench: Name; line: LineView; cast: CastMember[]; grid: Grid }) {
  switch (bench) {
    case 'line':
      return <LineBench line={line} cast={cast} />;
    case 'word':
      return <WordBench line={line} grid={grid} />;
    case 'diction':
      return <DictionBench key={line.summary.id} line={line} />;
    case 'mood':
      return <MoodBench line={line} />;
    case 'eyes':
      return <EyesBench line={line} />;
    case 'head':
      return <HeadBench line={line} />;
    case 'hand':
      return <HandBench line={line} />;
    case 'curve':
      return <CurveBench line={line} grid={grid} />;
    case 'why':
      return <WhyBench line={line} grid={grid} />;
    case 'check':
      return <CheckBench line={line} grid={grid} />;
    case 'steps':
      return <StepsBench key={line.summary.id} line={line} />;
  }
}
