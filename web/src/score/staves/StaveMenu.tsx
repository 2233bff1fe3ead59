import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { LineView, Look } from '../../api/client';
import { type LayerName, get, set } from '../../state';
import { ActionItem } from '../../widgets/ActionItem';
import { MenuAt, type Place, placeOf } from '../../widgets/MenuAt';
import { choose, idsOf, spanIds } from '../chosen';
import { snapped } from '../hand';
import {
  MOODS,
  MOVES,
  addLook,
  addMood,
  addMove,
  blinkHere,
  change,
  keyMoodAt,
  levelHere,
  lookTitle,
  remove,
  spansOf,
  splitSpan,
} from '../layers';
import * as player from '../player';

/** Where a menu was asked for: a moment, and the span, blink or level there. */
interface Asked {
  at: Place;
  time: number;
  id: number | null;
  what: 'span' | 'blink' | 'level' | 'touch' | null;
}

/** What can be done on a stave of a layer, where it is pressed with the right button: what asks for it, and the menu. */
export function useStaveMenu(line: LineView, name: LayerName, timeAt: (clientX: number) => number) {
  const [asked, setAsked] = useState<Asked | null>(null);
  const ask = (event: React.MouseEvent) => {
    const element = (event.target as HTMLElement).closest<HTMLElement>('[data-id]');
    const id = element ? Number(element.dataset.id) : null;
    const what = (element?.dataset.what ?? null) as Asked['what'];
    setAsked({ at: placeOf(event), time: timeAt(event.clientX), id, what });
    const { chosen } = get();
    if ((what === 'span' || what === 'blink') && id !== null && !spanIds(chosen, name).includes(id)) {
      choose({ what: 'spans', layer: name, ids: [id] }, name);
    }
    if (what === 'touch' && id !== null && !idsOf(chosen, 'touches').includes(id)) {
      const pass = line.touches.find((t) => t.id === id)?.pass?.id;
      const ids = line.touches
        .filter((t) => t.id === id || (pass !== undefined && t.pass?.id === pass))
        .map((t) => t.id);
      choose({ what: 'touches', ids }, 'hand');
    }
  };
  const menu = asked && (
    <MenuAt at={asked.at} onClose={() => setAsked(null)} testId={`menu-${name}`}>
      <Items line={line} name={name} asked={asked} />
    </MenuAt>
  );
  return { ask, menu };
}

function Items({ line, name, asked }: { line: LineView; name: LayerName; asked: Asked }) {
  const { time, id } = asked;
  if (asked.what === 'level' && id !== null)
    return <Menu.Item onClick={() => remove([id])}>Delete this level</Menu.Item>;
  const own = spansOf(line, name).find((s) => s.id === id);
  return (
    <>
      {name === 'mood' && <MoodItems line={line} id={id} time={time} />}
      {name === 'eyes' && <EyesItems line={line} asked={asked} />}
      {name === 'hand' && id === null && (
        <Menu.Item onClick={() => void change({ do: 'neutral', time: snapped(time), ease: 0.25, hold: 0.3 })}>
          Neutral here: the whole face at rest
        </Menu.Item>
      )}
      {name === 'head' &&
        id === null &&
        MOVES.map(([title, move]) => (
          <Menu.Item key={title} onClick={() => addMove(move, time)}>
            Here: {title}
          </Menu.Item>
        ))}
      {own && own.span.start < time - 0.1 && own.span.end > time + 0.1 && (
        <Menu.Item onClick={() => splitSpan(own.id, snapped(time))}>Split here</Menu.Item>
      )}
      {id !== null && (
        <>
          <Menu.Divider />
          <ActionItem gives="copy">Copy</ActionItem>
          <ActionItem gives="cut">Cut</ActionItem>
          <ActionItem gives="delete">Delete</ActionItem>
          <ActionItem gives="loop">Loop it</ActionItem>
          <ActionItem gives="all">Choose all of this stave</ActionItem>
        </>
      )}
      {id === null && (
        <>
          <Menu.Divider />
          <ActionItem gives="paste" before={() => player.seek(time)}>
            Paste here
          </ActionItem>
          <Menu.Item onClick={() => player.seek(time)}>Playhead here</Menu.Item>
          <Menu.Item onClick={() => levelHere(name, undefined, time)}>A level of the layer here</Menu.Item>
          <Menu.Item onClick={() => levelHere(name, 0, time)}>Silent from here on</Menu.Item>
        </>
      )}
    </>
  );
}

function MoodItems({ line, id, time }: { line: LineView; id: number | null; time: number }) {
  const own = line.layers.moods.find((m) => m.id === id);
  if (!own)
    return MOODS.map((mood) => (
      <Menu.Item key={mood} onClick={() => addMood(mood, time)}>
        Here: {mood}
      </Menu.Item>
    ));
  const changeOwn = (next: Partial<typeof own.does>) =>
    void change({ do: 'change_mood', id: own.id, change: next });
  return (
    <>
      <Menu.Sub>
        <Menu.Sub.Target>
          <Menu.Sub.Item>Another mood</Menu.Sub.Item>
        </Menu.Sub.Target>
        <Menu.Sub.Dropdown>
          {MOODS.map((mood) => (
            <Menu.Item key={mood} onClick={() => changeOwn({ mood })}>
              {mood}
            </Menu.Item>
          ))}
        </Menu.Sub.Dropdown>
      </Menu.Sub>
      <Menu.Item onClick={() => keyMoodAt(own.id, time)}>A key of its amount here</Menu.Item>
      <Menu.Item onClick={() => changeOwn({ instead: !own.does.instead })}>
        {own.does.instead ? 'Add it to the others' : 'In place of the others'}
      </Menu.Item>
    </>
  );
}

function EyesItems({ line, asked }: { line: LineView; asked: Asked }) {
  const { marks } = line.layers.settings;
  const own = line.layers.looks.find((l) => l.id === asked.id);
  const looks: Look[] = [
    ...marks.map((m) => ({ kind: 'face' as const, mark: m.id })),
    { kind: 'think' as const },
  ];
  if (asked.what === 'blink') return null;
  return (
    <>
      {looks.map((does) => (
        <Menu.Item
          key={lookTitle(does, marks)}
          onClick={() =>
            own ? void change({ do: 'change_look', id: own.id, look: does }) : addLook(does, asked.time)
          }
        >
          {does.kind === 'think'
            ? 'Thinks, low to one side'
            : `Looks at: ${does.kind === 'face' ? (marks.find((m) => m.id === does.mark)?.name ?? '') : ''}`}
        </Menu.Item>
      ))}
      <Menu.Item onClick={() => set({ pointing: true, bench: 'eyes' })}>Point on the stage …</Menu.Item>
      {!own && <Menu.Item onClick={() => blinkHere(asked.time)}>A blink here</Menu.Item>}
    </>
  );
}
