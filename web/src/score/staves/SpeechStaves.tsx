import { Menu } from '@mantine/core';
import { memo, useRef, useState } from 'react';
import type { Correction, Grid, LineView } from '../../api/client';
import { give } from '../../commands';
import { get, useView } from '../../state';
import { ActionItem } from '../../widgets/ActionItem';
import { MenuAt, type Place, placeOf } from '../../widgets/MenuAt';
import { choose, howOf, idsOf, pressed, speechBench } from '../chosen';
import { correct } from '../correct';
import { addMood } from '../layers';
import { soundsIn, soundsOf, wordsOf } from '../line';
import * as player from '../player';
import { ownGesture } from '../../api/queue';
import { frameAt } from '../time';
import { GUTTER, type Stave, axisNow, lying, toTime } from './axis';
import { type Hit, hitAt, within } from './hit';
import css from './SpeechStaves.module.css';
import { usePinch } from './useZoom';

/** Staves that are drawn, and worked on through one surface. */
const OWN = ['voice', 'words', 'sounds', 'strip', 'mouth'];

/** What a press took hold of. */
type Grip =
  | { what: 'scrub' }
  | { what: 'edge'; sound: number; from: number; time: number }
  | {
      what: 'words';
      ids: number[];
      id: number;
      x: number;
      from: number;
      by: number;
      moved: boolean;
      alone: boolean;
    }
  | { what: 'box'; stave: Stave['name']; x: number; from: number; to: number; moved: boolean; more: boolean };

/** Where the menu was asked for, and what is there. */
interface Asked {
  at: Place;
  hit: Hit | null;
  time: number;
  stave: Stave['name'] | null;
}

/** Hands on voice, words, sounds, lip strip and ribbons: scrubbing, choosing, moving, a menu. */
export const SpeechStaves = memo(function SpeechStaves({
  line,
  grid,
  width,
  staves,
}: {
  line: LineView;
  grid: Grid;
  width: number;
  staves: Stave[];
}) {
  const open = useView((s) => s.open);
  const grip = useRef<Grip | null>(null);
  const [guide, setGuide] = useState<number | null>(null);
  const [box, setBox] = useState<{ from: number; to: number; stave: Stave } | null>(null);
  const [over, setOver] = useState<'edge' | 'word' | null>(null);
  const [asked, setAsked] = useState<Asked | null>(null);
  const pinch = usePinch(width, line.summary.duration);
  const own = staves.filter((s) => OWN.includes(s.name) && !(open && s.name === 'mouth'));

  const at = (event: React.MouseEvent) => {
    const rect = event.currentTarget.getBoundingClientRect();
    const [x, y] = [
      event.clientX - rect.left + GUTTER,
      event.clientY - rect.top + Number((event.currentTarget as HTMLElement).dataset.top),
    ];
    const stave = staves.find((s) => y >= s.top && y < s.top + s.height);
    const axis = axisNow(width);
    return { x, time: Math.max(0, toTime(axis, x)), stave, hit: hitAt(line, axis, stave, x) };
  };

  const down = (event: React.PointerEvent) => {
    if (event.button !== 0 || pinch.down(event)) return;
    const { x, time, stave, hit } = at(event);
    event.currentTarget.setPointerCapture(event.pointerId);
    const how = howOf(event);
    if (hit?.what === 'edge') {
      grip.current = { what: 'edge', sound: hit.sound, from: hit.time, time: hit.time };
      setGuide(hit.time);
      return;
    }
    if (hit?.what === 'word') {
      const now = idsOf(get().chosen, 'words');
      const { id } = hit.word;
      const all = wordsOf(line).map((w) => w.id);
      // A press on one of several that are chosen may be the start of moving them all.
      const ids = how === 'alone' && now.includes(id) ? now : pressed(now, id, how, all);
      choose({ what: 'words', ids }, speechBench());
      if (how !== 'to') player.seek(hit.word.span.start);
      grip.current = { what: 'words', ids, id, x, from: time, by: 0, moved: false, alone: how === 'alone' };
      return;
    }
    if (hit?.what === 'unwritten') {
      choose({ what: 'sounds', ids: soundsIn(line, hit.span).map((s) => s.id) }, 'word');
      player.seek(hit.span.start);
      grip.current = { what: 'box', stave: 'sounds', x, from: time, to: time, moved: false, more: false };
      return;
    }
    if (hit?.what === 'sound') {
      const all = soundsOf(line).flatMap((s) => (s.phone === 'SIL' ? [] : [s.id]));
      choose(
        { what: 'sounds', ids: pressed(idsOf(get().chosen, 'sounds'), hit.sound.id, how, all) },
        speechBench(),
      );
      if (how !== 'to') player.seek(hit.sound.span.start);
      grip.current = {
        what: 'box',
        stave: 'sounds',
        x,
        from: time,
        to: time,
        moved: false,
        more: how !== 'alone',
      };
      return;
    }
    if (stave?.name === 'voice') {
      grip.current = { what: 'scrub' };
      player.seek(time, true);
      return;
    }
    grip.current = {
      what: 'box',
      stave: stave?.name ?? 'words',
      x,
      from: time,
      to: time,
      moved: false,
      more: how !== 'alone',
    };
  };

  const move = (event: React.PointerEvent) => {
    if (pinch.move(event)) return;
    const { x, time, hit } = at(event);
    const now = grip.current;
    if (!now) {
      const kind = hit?.what === 'edge' || hit?.what === 'word' ? hit.what : null;
      if (kind !== over) setOver(kind);
      return;
    }
    switch (now.what) {
      case 'scrub':
        return player.seek(time, true);
      case 'edge':
        now.time = time;
        return setGuide(time);
      case 'words':
        if (!now.moved && Math.abs(x - now.x) < 4) return;
        now.moved = true;
        now.by = time - now.from;
        return setGuide((wordsOf(line).find((w) => w.id === now.id)?.span.start ?? 0) + now.by);
      case 'box': {
        if (!now.moved && Math.abs(x - now.x) < 4) return;
        now.moved = true;
        now.to = time;
        const stave = staves.find((s) => s.name === now.stave);
        if (stave) setBox({ from: Math.min(now.from, time), to: Math.max(now.from, time), stave });
      }
    }
  };

  const up = (event: React.PointerEvent) => {
    pinch.up(event);
    const now = grip.current;
    grip.current = null;
    setGuide(null);
    setBox(null);
    if (now?.what === 'edge' && Math.abs(now.time - now.from) > 1e-4) {
      correct({ kind: 'move_edge', sound: now.sound, to: Math.max(now.time, 0), alone: event.altKey });
    }
    if (now?.what === 'words') {
      if (now.moved) moveWords(line, now.ids, now.by);
      else if (now.alone) choose({ what: 'words', ids: [now.id] });
    }
    if (now?.what === 'box') {
      if (now.moved) {
        const kind = now.stave === 'sounds' ? 'sounds' : 'words';
        const found = within(line, kind, Math.min(now.from, now.to), Math.max(now.from, now.to));
        const before = now.more ? idsOf(get().chosen, kind) : [];
        choose({ what: kind, ids: [...new Set([...before, ...found])] }, speechBench());
      } else if (now.stave !== 'sounds' || !at(event).hit) {
        choose(null);
        player.seek(now.from, true);
      }
    }
  };

  return (
    <>
      <div className={css.host} style={{ left: GUTTER }}>
        {groups(own).map(({ top, height }) => (
          <div
            key={top}
            className={css.surface}
            data-testid={top === 0 ? 'speech' : undefined}
            data-top={top}
            data-over={over ?? undefined}
            style={{ top, height }}
            onPointerDown={down}
            onPointerMove={move}
            onPointerUp={up}
            onPointerCancel={(event) => {
              pinch.up(event);
              grip.current = null;
            }}
            onContextMenu={(event) => {
              const { hit, time, stave } = at(event);
              setAsked({ at: placeOf(event), hit, time, stave: stave?.name ?? null });
              const { chosen } = get();
              if (hit?.what === 'word' && !idsOf(chosen, 'words').includes(hit.word.id)) {
                choose({ what: 'words', ids: [hit.word.id] }, speechBench());
              }
              if (hit?.what === 'sound' && !idsOf(chosen, 'sounds').includes(hit.sound.id)) {
                choose({ what: 'sounds', ids: [hit.sound.id] }, speechBench());
              }
            }}
            onDoubleClick={(event) => {
              const { hit } = at(event);
              if (hit?.what === 'word') player.loop(hit.word.span);
              if (hit?.what === 'unwritten') player.loop(hit.span);
              if (hit?.what === 'sound') player.loop(hit.sound.span);
            }}
          />
        ))}
        {box && (
          <i
            className={css.box}
            style={{ ...lying(box.from, box.to), top: box.stave.top, height: box.stave.height }}
          />
        )}
        {guide !== null && <Guide grid={grid} time={guide} />}
      </div>
      {asked && (
        <MenuAt at={asked.at} onClose={() => setAsked(null)} testId="menu-speech">
          <Items asked={asked} line={line} />
        </MenuAt>
      )}
    </>
  );
});

/** Staves that lie under each other without another between them. */
function groups(staves: Stave[]): { top: number; height: number }[] {
  const out: { top: number; height: number }[] = [];
  for (const { top, height } of staves) {
    const before = out.at(-1);
    if (before && before.top + before.height === top) before.height += height;
    else out.push({ top, height });
  }
  return out;
}

/** Moves words, as one step; what goes later goes before what it would run into. */
function moveWords(line: LineView, ids: number[], by: number) {
  if (Math.abs(by) < 1e-4) return;
  const order = wordsOf(line).filter((w) => ids.includes(w.id));
  if (by > 0) order.reverse();
  const gesture = ownGesture();
  for (const { id } of order)
    correct({ kind: 'move_word', word: id, by } satisfies Correction, gesture, `${id}`);
}

/** Where what is dragged goes: a line with its frame. */
function Guide({ grid, time }: { grid: Grid; time: number }) {
  return (
    <i className={css.guide} style={lying(time)}>
      <b>{frameAt(grid, time + 1e-4)}</b>
    </i>
  );
}

function Items({ asked, line }: { asked: Asked; line: LineView }) {
  const { hit, time, stave } = asked;
  const timed = wordsOf(line).length > 0;
  if (hit?.what === 'word') {
    return (
      <>
        <ActionItem gives="loop">Loop it</ActionItem>
        <ActionItem gives="pin">{hit.word.pinned ? 'Unpin' : 'Pin'}</ActionItem>
        <ActionItem gives="retype">Retype …</ActionItem>
        <Menu.Divider />
        <ActionItem gives="earlier">A frame earlier</ActionItem>
        <ActionItem gives="later">A frame later</ActionItem>
        <Menu.Divider />
        <Menu.Item onClick={() => addMood('happiness')}>A mood over it</Menu.Item>
        <ActionItem gives="all">Choose all words</ActionItem>
        <ActionItem gives="fitChosen">Zoom to it</ActionItem>
      </>
    );
  }
  if (hit?.what === 'sound') {
    return (
      <>
        <ActionItem gives="loop">Loop it</ActionItem>
        <ActionItem gives="split">Split at the playhead</ActionItem>
        <ActionItem gives="join">Join with the next</ActionItem>
        <ActionItem gives="delete">Delete</ActionItem>
        <Menu.Divider />
        <ActionItem gives="earlier">Its start a frame earlier</ActionItem>
        <ActionItem gives="later">Its start a frame later</ActionItem>
        <ActionItem gives="all">Choose all sounds</ActionItem>
        <ActionItem gives="fitChosen">Zoom to it</ActionItem>
      </>
    );
  }
  return (
    <>
      <Menu.Item onClick={() => player.seek(time)}>Playhead here</Menu.Item>
      <ActionItem gives="play">Play or stop</ActionItem>
      <ActionItem gives="loopIn" before={() => player.seek(time)}>
        Loop from here
      </ActionItem>
      <ActionItem gives="loopOut" before={() => player.seek(time)}>
        Loop up to here
      </ActionItem>
      <Menu.Divider />
      {stave === 'mouth' && <ActionItem gives="openStave">Open the curves</ActionItem>}
      <ActionItem gives="paste" before={() => player.seek(time)}>
        Paste here
      </ActionItem>
      <ActionItem gives="whole">The whole line</ActionItem>
      {timed && <Menu.Item onClick={() => give('benchDiction')}>Diction</Menu.Item>}
    </>
  );
}
