import { Menu, Tabs } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { type CastMember, type SceneSummary, type SceneView, api } from '../api/client';
import { produce } from '../api/production';
import { give } from '../commands';
import * as player from '../score/player';
import { frameAt, rateName } from '../score/time';
import { StageTools } from '../stage/StageTools';
import { openScene, useView } from '../state';
import { Asked } from '../widgets/Asked';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { sentence } from '../api/client';
import { useFrame } from '../widgets/useFrame';
import { count } from '../widgets/words';
import { type Tab, change, lengthOf, strip, titleOf, useCurves, useSceneView, useStrip } from './data';
import { newScene } from './actions';
import { DeliverTab } from './DeliverTab';
import { ListeningTab } from './ListeningTab';
import { SceneStageView } from './SceneStageView';
import { SceneTab } from './SceneTab';
import { StageTab } from './StageTab';
import { Strip } from './Strip';
import css from './ScenePage.module.css';

export function ScenePage() {
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  return <Asked query={scenes}>{(all) => <Open scenes={all} fetching={scenes.isFetching} />}</Asked>;
}

function Open({ scenes, fetching }: { scenes: SceneSummary[]; fetching: boolean }) {
  const wanted = useView((s) => s.scene);
  // While the list is fetched anew, a scene that it does not hold may be one that was just made.
  const there = scenes.some((s) => s.id === wanted) || (fetching && wanted !== null);
  const id = there ? wanted : (scenes[0]?.id ?? null);
  useEffect(() => {
    if (id !== null && id !== wanted) openScene(id);
  }, [id, wanted]);
  const scene = useSceneView(id);
  if (id === null) {
    return (
      <main className={css.empty}>
        <h1>Scenes</h1>
        <p>
          In a scene several lines follow each other, of one character or of many. Each keeps its own score;
          who does not speak listens: looks at who does, nods, blinks, takes a breath before the next line.
        </p>
        <Press kind="main" testId="new-scene" onClick={() => void newScene(scenes, [])}>
          Make a scene
        </Press>
      </main>
    );
  }
  if (scene.error && !scene.data) {
    return (
      <main className={css.empty}>
        <Problem>{sentence(scene.error)}</Problem>
      </main>
    );
  }
  return <Asked query={scene}>{(scene) => <Whole scene={scene} scenes={scenes} />}</Asked>;
}

function Whole({ scene, scenes }: { scene: SceneView; scenes: SceneSummary[] }) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const { id, stamp } = scene;
  const spoken = scene.turns.length > 0;
  useEffect(() => {
    if (spoken) void player.loadScene(id, stamp);
  }, [id, stamp, spoken]);
  // What plays here is heard here.
  useEffect(() => player.stop, []);
  return (
    <main className={css.page} style={{ '--rows': Math.max(1, scene.actors.length) } as React.CSSProperties}>
      <Stage scene={scene} cast={cast.data ?? []} />
      <Side scene={scene} scenes={scenes} />
      <Bar scene={scene} />
      <Strip scene={scene} />
    </main>
  );
}

function Stage({ scene, cast }: { scene: SceneView; cast: CastMember[] }) {
  const curves = useCurves(scene);
  const says = useRef<HTMLSpanElement>(null);
  useFrame(() => {
    const now = player.now();
    const speaks = scene.turns.filter((t) => t.speaker && now >= t.start && now < t.end);
    const text = speaks
      .map((t) => `${titleOf(scene, t.speaker)} speaks${t.to ? ` to ${titleOf(scene, t.to)}` : ''}`)
      .join(' · ');
    if (says.current && says.current.textContent !== text) says.current.textContent = text;
  });
  return (
    <SceneStageView scene={scene} cast={cast} curves={curves.data}>
      <span className={css.speaks} ref={says} />
      {scene.actors.length === 0 && (
        <p className={css.nobody}>Nobody stands here yet. Add a line: who says it comes along.</p>
      )}
      <StageTools />
    </SceneStageView>
  );
}

const TABS: [Tab, string][] = [
  ['scene', 'Scene'],
  ['listening', 'Listening'],
  ['stage', 'Stage'],
  ['deliver', 'Deliver'],
];

function Side({ scene, scenes }: { scene: SceneView; scenes: SceneSummary[] }) {
  const tab = useStrip((s) => s.tab);
  return (
    <aside className={css.side}>
      <div className={css.sideHead}>
        <h1>{scene.name}</h1>
        <Menu width={230} position="bottom-end">
          <Menu.Target>
            <Press kind="quiet" testId="scenes">
              Scenes
            </Press>
          </Menu.Target>
          <Menu.Dropdown>
            {scenes.map((s) => (
              <Menu.Item
                key={s.id}
                rightSection={s.id === scene.id ? '✓' : null}
                onClick={() => openScene(s.id)}
              >
                {s.name}
              </Menu.Item>
            ))}
            <Menu.Divider />
            <Menu.Item onClick={() => void newScene(scenes, [])}>Make another scene</Menu.Item>
            <Menu.Item onClick={() => void produce({ do: 'delete_scene', id: scene.id })}>
              Delete this scene
            </Menu.Item>
          </Menu.Dropdown>
        </Menu>
      </div>
      <div className="soft">
        {count(scene.turns.length, 'line')} · {lengthOf(scene).toFixed(1)} s · frames {scene.grid.first}–
        {scene.grid.first + scene.frames - 1}
      </div>
      <Tabs
        className={css.tabs}
        value={tab}
        onChange={(name) => name && strip({ tab: name as Tab })}
        keepMounted={false}
        activateTabWithKeyboard
      >
        <Tabs.List aria-label="The scene">
          {TABS.map(([name, title]) => (
            <Tabs.Tab key={name} value={name} data-testid={`tab-${name}`}>
              {title}
            </Tabs.Tab>
          ))}
        </Tabs.List>
        <Tabs.Panel value={tab} className={css.panel} tabIndex={-1}>
          {tab === 'scene' && <SceneTab scene={scene} />}
          {tab === 'listening' && <ListeningTab scene={scene} />}
          {tab === 'stage' && <StageTab scene={scene} />}
          {tab === 'deliver' && <DeliverTab scene={scene} />}
        </Tabs.Panel>
      </Tabs>
    </aside>
  );
}

/** Playing, where we are, and what is done with the strip as a whole. */
function Bar({ scene }: { scene: SceneView }) {
  const playing = useView((s) => s.playing);
  const zoom = useStrip((s) => s.zoom);
  const where = useRef<HTMLSpanElement>(null);
  useFrame(() => {
    const now = player.now();
    const text = `${frameAt(scene.grid, now)}  ${now.toFixed(2)} s`;
    if (where.current && where.current.textContent !== text) where.current.textContent = text;
  });
  const gaps = scene.entries.some((e) => e.start != null);
  return (
    <div className={css.bar} role="toolbar" aria-label="Playing the scene">
      <Press
        kind="main"
        gives="play"
        cap
        testId="play"
        disabled={scene.turns.length === 0}
        onClick={player.toggle}
      >
        {playing ? 'Stop' : 'Play'}
      </Press>
      <Press gives="frameBack" aria-label="−1 frame" onClick={() => give('frameBack')}>
        −1
      </Press>
      <Press gives="frameOn" aria-label="+1 frame" onClick={() => give('frameOn')}>
        +1
      </Press>
      <span className={css.where} ref={where} data-testid="where" />
      <span className="soft">{rateName(scene.grid)} fps</span>
      <span className={css.hint}>Drag a line to where it starts; a double click opens its score.</span>
      <Press kind="quiet" gives="wider" disabled={zoom <= 1} onClick={() => give('wider')}>
        Wider
      </Press>
      <Press kind="quiet" gives="closer" onClick={() => give('closer')}>
        Closer
      </Press>
      <Press
        testId="close-gaps"
        disabled={!gaps}
        hint={gaps ? 'Every line follows the one before' : 'Every line follows the one before already'}
        onClick={() => void change({ do: 'close_gaps' })}
      >
        Close gaps
      </Press>
      <AddLine />
    </div>
  );
}

/** A line into the scene, behind the others. */
function AddLine() {
  const lines = useQuery({ queryKey: ['lines'], queryFn: api.lines });
  return (
    <Menu width={420} position="top-end">
      <Menu.Target>
        <Press testId="add-to-scene">Add a line</Press>
      </Menu.Target>
      <Menu.Dropdown className={css.lines}>
        {(lines.data ?? []).map((l) => (
          <Menu.Item
            key={l.id}
            data-testid={`add-${l.id}`}
            onClick={() => void change({ do: 'add_lines', lines: [l.id], start: null })}
          >
            <b>{l.name ?? l.number}</b> {l.character ?? 'nobody'} · <i>{l.text || l.recording_name}</i>
          </Menu.Item>
        ))}
        {lines.data?.length === 0 && <Menu.Label>There are no lines yet; add one on Lines.</Menu.Label>}
      </Menu.Dropdown>
    </Menu>
  );
}
