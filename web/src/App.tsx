import { useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { Spotlight, spotlight } from '@mantine/spotlight';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect } from 'react';
import css from './App.module.css';
import { fetchLine } from './api/act';
import { api, queries, useSaved } from './api/client';
import { connect, useConnected, useElsewhere } from './api/live';
import { bringIn } from './cast/bringIn';
import { fetchMember } from './cast/edit';
import { hasModel } from './cast/files';
import { actsIn, give, takeBack, useCommands } from './commands';
import { Guide } from './Guide';
import { KeyMap } from './KeyMap';
import { type CommandId, TABLE, shownKey } from './keys';
import { AddLine } from './lines/AddLine';
import { LinesPage } from './lines/LinesPage';
import { WHOLE, areMany, gather, holdsModel } from './lines/many/gather';
import { ManyLines } from './lines/many/ManyLines';
import { ScriptMatch } from './lines/many/ScriptMatch';
import { bringWhole } from './lines/WholeMenu';
import { tellWhereabouts } from './score/whereabouts';
import { WordList } from './lines/WordList';
import { type Place, get, go, set, useView } from './state';
import { colourTurner } from './theme/colours';
import { Hint } from './widgets/Hint';
import { Cap, Key, useKeys } from './widgets/Key';
import { Kept } from './widgets/Kept';
import { Press } from './widgets/Press';
import { tell } from './widgets/tell';

// Places that are not looked at first come when they are.
const ScorePage = lazy(() => import('./score/ScorePage').then((m) => ({ default: m.ScorePage })));
const ScenePage = lazy(() => import('./scene/ScenePage').then((m) => ({ default: m.ScenePage })));
const CastPage = lazy(() => import('./cast/CastPage').then((m) => ({ default: m.CastPage })));
const DeliverPage = lazy(() => import('./deliver/DeliverPage').then((m) => ({ default: m.DeliverPage })));

const PLACES: [Place, string, CommandId][] = [
  ['lines', 'Lines', 'goLines'],
  ['score', 'Score', 'goScore'],
  ['scene', 'Scene', 'goScene'],
  ['cast', 'Cast', 'goCast'],
  ['deliver', 'Deliver', 'goDeliver'],
];

/** Takes whatever was dropped on the page: a production's file, a character, a recording, or many. */
async function drop(files: File[]) {
  const [one] = files;
  if (one && WHOLE.test(one.name)) return bringWhole(one);
  const zip = files.length === 1 && one && /\.zip$/i.test(one.name);
  if (zip ? holdsModel(await gather(files)) : hasModel(files)) return bringIn(files);
  if (areMany(files)) set({ many: files });
  else set({ adding: files });
}

export function App() {
  const place = useView((s) => s.place);
  const line = useView((s) => s.line);
  const adding = useView((s) => s.adding);
  const many = useView((s) => s.many);
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  const { setColorScheme } = useMantineColorScheme();
  const scheme = useComputedColorScheme('light');
  useCommands();
  useEffect(() => {
    connect();
    tellWhereabouts();
    void queries.prefetchQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  }, []);
  useEffect(
    () => colourTurner(() => setColorScheme(scheme === 'dark' ? 'light' : 'dark')),
    [scheme, setColorScheme],
  );
  // Without a line chosen, or with one that is gone, the first one is.
  useEffect(() => {
    const all = lines.data;
    // While the list is fetched anew, a line that it does not hold may be one that was just added.
    if (!all || lines.isFetching || all.some((l) => l.id === line)) return;
    const first = all[0]?.id ?? null;
    if (place === 'score' && first === null) go('lines');
    set({ line: first });
  }, [line, lines.data, lines.isFetching, place]);
  return (
    <div className={css.app}>
      <Bar />
      <Kept key={place}>
        <Suspense fallback={<main aria-busy="true" />}>
          {place === 'lines' && <LinesPage />}
          {place === 'score' && <ScorePage />}
          {place === 'scene' && <ScenePage />}
          {place === 'cast' && <CastPage />}
          {place === 'deliver' && <DeliverPage />}
        </Suspense>
      </Kept>
      <AddLine />
      <ManyLines />
      <ScriptMatch />
      <WordList />
      <KeyMap />
      <Guide />
      <Dropzone.FullScreen
        active={adding === null && many === null}
        onDrop={(files) => void drop(files).catch(tell)}
      >
        <div className={css.drop}>
          Drop recordings to add lines, one or many, or a character to add it to the cast
        </div>
      </Dropzone.FullScreen>
      <Find />
    </div>
  );
}

/** The bar above all places. */
function Bar() {
  const place = useView((s) => s.place);
  const line = useView((s) => s.line);
  const castMember = useView((s) => s.castMember);
  const connected = useConnected();
  const saved = useSaved();
  const elsewhere = useElsewhere();
  const scheme = useComputedColorScheme('light');
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const open = useQuery({
    queryKey: ['line', line],
    queryFn: () => fetchLine(line ?? 0),
    enabled: line !== null,
  });
  // In the Cast, what is undone is the wiring; on the score it is the line; elsewhere what was done with lines.
  const member = useQuery({
    queryKey: ['castMember', castMember],
    queryFn: () => fetchMember(castMember ?? 0),
    enabled: place === 'cast' && castMember !== null,
  });
  const { undo, redo } =
    (place === 'cast' ? member.data : place === 'score' ? open.data : production.data) ?? {};
  const undoes = undo?.[0];
  const redoes = redo?.[0];
  return (
    <header className={css.bar}>
      <span className={css.name}>Jam Lips</span>
      <span className={css.production}>{production.data?.name}</span>
      <nav aria-label="Places" className={css.places}>
        {PLACES.map(([name, title, id]) => (
          <PlaceButton key={name} name={name} title={title} id={id} />
        ))}
      </nav>
      <div className={css.right}>
        {elsewhere && (
          <Hint says={`Changed on another page: ${elsewhere}`}>
            <span className={css.elsewhere} role="status">
              Changed elsewhere: {elsewhere}
            </span>
          </Hint>
        )}
        <span className="soft" role="status" data-testid="saved">
          {!connected
            ? 'Waiting for the server …'
            : saved === 'sending'
              ? 'Saving …'
              : saved === 'unsent'
                ? 'The last change was not kept'
                : 'Saved'}
        </span>
        <Press
          kind="quiet"
          gives="undo"
          testId="undo"
          aria-label={undoes ? `Undo: ${undoes}` : 'Undo'}
          hint={undoes ? `Undo: ${undoes}` : 'Nothing to undo'}
          disabled={!undoes}
          onClick={() => takeBack('undo')}
        >
          Undo
        </Press>
        <Press
          kind="quiet"
          gives="redo"
          testId="redo"
          aria-label={redoes ? `Redo: ${redoes}` : 'Redo'}
          hint={redoes ? `Redo: ${redoes}` : 'Nothing to redo'}
          disabled={!redoes}
          onClick={() => takeBack('redo')}
        >
          Redo
        </Press>
        <Press kind="quiet" gives="find" cap onClick={spotlight.open}>
          Find a command
        </Press>
        <Press kind="quiet" gives="keyMap" onClick={() => set({ keyMap: true })}>
          Shortcuts
        </Press>
        <Press kind="quiet" gives="night" onClick={() => give('night')}>
          {scheme === 'dark' ? 'Day' : 'Night'}
        </Press>
      </div>
    </header>
  );
}

function PlaceButton({ name, title, id }: { name: Place; title: string; id: CommandId }) {
  const place = useView((s) => s.place);
  const keys = useKeys(id);
  return (
    <Hint says={keys.length > 0 ? `${title} (${keys.map(shownKey).join(' or ')})` : title}>
      <button
        className={css.place}
        aria-current={place === name ? 'page' : undefined}
        onClick={() => go(name)}
      >
        {title}
      </button>
    </Hint>
  );
}

/** Searching for a command by its name; only those that act here are found. */
function Find() {
  const place = useView((s) => s.place);
  const all = TABLE.filter((entry) => actsIn(entry, place));
  return (
    <Spotlight
      shortcut={null}
      actions={all.map((entry) => ({
        id: entry.id,
        label: entry.name,
        description: entry.group,
        onClick: () => give(entry.id),
        rightSection: <Key of={entry.id} />,
      }))}
      searchProps={{ placeholder: 'What do you want to do?', 'aria-label': 'What do you want to do?' }}
      nothingFound={
        <span>
          No command of that name {get().place === 'score' ? '' : 'here; on the score there are more'}{' '}
          <Cap>Esc</Cap>
        </span>
      }
      highlightQuery
      scrollable
      maxHeight={420}
    />
  );
}
