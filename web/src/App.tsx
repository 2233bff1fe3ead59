import { fetchLine } from './api/act';
import { useMantineColorScheme } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { Spotlight, spotlight } from '@mantine/spotlight';
import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { api, queries, tell, useSaved } from './api/client';
import { connect, useConnected, useElsewhere } from './api/live';
import { commands, listen, takeBack } from './commands';
import { Kept } from './components/Kept';
import { KeyMap } from './components/KeyMap';
import { AddLine } from './lines/AddLine';
import { LinesPage } from './lines/LinesPage';
import { WordList } from './lines/WordList';
import { DeliverPage } from './deliver/DeliverPage';
import { fetchMember } from './cast/edit';
import { CastPage } from './cast/CastPage';
import { bringIn } from './cast/CastList';
import { hasModel } from './cast/files';
import { ScorePage } from './score/ScorePage';
import { type Place, go, set, useView } from './state';

const PLACES: [Place, string, string][] = [
  ['lines', 'Lines', '1'],
  ['score', 'Score', '2'],
  ['cast', 'Cast', '3'],
  ['deliver', 'Deliver', '4'],
];

/** Takes whatever was dropped on the page. */
function drop(files: File[]) {
  if (hasModel(files)) bringIn(files).catch(tell);
  else set({ adding: files });
}

export function App() {
  const place = useView((s) => s.place);
  const line = useView((s) => s.line);
  const adding = useView((s) => s.adding);
  const castMember = useView((s) => s.castMember);
  const connected = useConnected();
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const open = useQuery({
    queryKey: ['line', line],
    queryFn: () => fetchLine(line ?? 0),
    enabled: line !== null,
  });
  const saved = useSaved();
  const elsewhere = useElsewhere();
  const { colorScheme, toggleColorScheme } = useMantineColorScheme();
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });

  useEffect(() => {
    connect();
    void queries.prefetchQuery({ queryKey: ['jobs'], queryFn: api.jobs });
  }, []);
  useEffect(() => listen(toggleColorScheme), [toggleColorScheme]);
  // Without a line chosen, the first one is.
  useEffect(() => {
    const first = lines.data?.[0];
    if (line === null && first) set({ line: first.id });
  }, [line, lines.data]);

  // In the Cast, what is undone is the wiring; elsewhere it is the line.
  const member = useQuery({
    queryKey: ['castMember', castMember],
    queryFn: () => fetchMember(castMember ?? 0),
    enabled: place === 'cast' && castMember !== null,
  });
  const step = (place === 'cast' ? member.data : open.data)?.undo[0];
  return (
    <div className="app">
      <header className="bar">
        <span className="name">Jam Lips</span>
        <span className="soft">{production.data?.name}</span>
        <nav aria-label="Places">
          {PLACES.map(([name, title, key]) => (
            <button
              key={name}
              className="place"
              aria-current={place === name ? 'page' : undefined}
              title={`Key ${key}`}
              onClick={() => go(name)}
            >
              {title}
            </button>
          ))}
        </nav>
        <div className="right">
          {elsewhere && (
            <span className="elsewhere" role="status" title={`Changed on another page: ${elsewhere}`}>
              Changed elsewhere: {elsewhere}
            </span>
          )}
          <span className="soft" role="status">
            {!connected
              ? 'Waiting for the server …'
              : saved === 'sending'
                ? 'Saving …'
                : saved === 'unsent'
                  ? 'The last change was not kept'
                  : 'Saved'}
          </span>
          <button
            className="quiet"
            disabled={!step}
            title={step ? `Undo: ${step}` : 'Nothing to undo'}
            onClick={() => takeBack('undo')}
          >
            Undo<kbd className="key">Z</kbd>
          </button>
          <button className="quiet" onClick={spotlight.open}>
            Find a command<kbd className="key">/</kbd>
          </button>
          <button
            className="quiet"
            onClick={() => set({ keyMap: true })}
            title="Every action with its key (?)"
          >
            Keys
          </button>
          <button className="quiet" onClick={() => toggleColorScheme()}>
            {colorScheme === 'dark' ? 'Day' : 'Night'}
          </button>
        </div>
      </header>
      <Kept key={place}>
        {place === 'lines' && <LinesPage />}
        {place === 'score' && <ScorePage />}
        {place === 'cast' && <CastPage />}
        {place === 'deliver' && <DeliverPage />}
      </Kept>
      <AddLine />
      <WordList />
      <KeyMap night={toggleColorScheme} />
      <Dropzone.FullScreen active={adding === null} onDrop={drop}>
        <div className="drop-all">Drop recordings to add lines, or a character to add it to the cast</div>
      </Dropzone.FullScreen>
      <Spotlight
        shortcut={null}
        actions={commands(toggleColorScheme).map((c) => ({
          id: c.name,
          label: c.name,
          onClick: c.run,
          rightSection: c.key ? <kbd className="key">{c.show ?? c.key.toUpperCase()}</kbd> : undefined,
        }))}
        searchProps={{ placeholder: 'What do you want to do?' }}
        nothingFound="No command of that name"
        highlightQuery
        scrollable
        maxHeight={420}
      />
    </div>
  );
}
