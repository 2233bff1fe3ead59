import { Checkbox, Menu, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { memo, useRef, useState } from 'react';
import { type LineSummary, api } from '../api/client';
import { intoScene, newScene } from '../scene/actions';
import { get, go, set } from '../state';
import { ActionItem } from '../widgets/ActionItem';
import { Hint } from '../widgets/Hint';
import { tell } from '../widgets/tell';
import { duplicateLine, moveLine, nameLine, orderLines } from './lineActions';
import css from './LinesPage.module.css';
import { LineStatus } from './LineStatus';
import { Wave } from './Wave';

interface Props {
  line: LineSummary;
  all: LineSummary[];
  /** Whether it is the one that is looked at. */
  chosen: boolean;
  /** Whether it is one of those that are changed together. */
  marked: boolean;
  /** Whether something that is done is done with it. */
  selected: boolean;
  style: React.CSSProperties;
  /** The lines that are shown, and its place among them. */
  shown: LineSummary[];
  here: number;
}

/** A line in the list. It is drawn anew only if something of it changed: rows pass by while the list scrolls. */
export const LineRow = memo(Row, ({ style, ...before }, { style: now, ...after }) => {
  const keys = Object.keys(after) as (keyof typeof after)[];
  return style.top === now.top && keys.every((key) => before[key] === after[key]);
});

/** Marks a line, or takes its mark away. */
function mark(id: number) {
  const { marked } = get();
  const rest = marked.filter((m) => m !== id);
  set({ marked: rest.length < marked.length ? rest : [...marked, id] });
}

/** Chooses a line as a click on it does: alone, beside what is chosen, or all up to it. */
function choose(event: React.MouseEvent, shown: LineSummary[], place: number) {
  const { line: chosen, marked } = get();
  const id = shown[place]?.id;
  if (id === undefined) return;
  const here = shown.findIndex((l) => l.id === chosen);
  if (event.ctrlKey || event.metaKey) {
    // The one that was looked at is the first of several.
    if (marked.length === 0 && chosen !== null && chosen !== id) set({ marked: [chosen, id] });
    else mark(id);
    set({ line: id });
  } else if (event.shiftKey && here >= 0) {
    const [from, to] = here < place ? [here, place] : [place, here];
    set({ marked: shown.slice(from, to + 1).map((l) => l.id) });
  } else set({ line: id, marked: [] });
}

function Row({ line: l, all, chosen, marked, selected, style, shown, here }: Props) {
  const row = useRef<HTMLDivElement>(null);
  const [renaming, setRenaming] = useState(false);
  const [pulled, setPulled] = useState(0);
  const from = useRef<number | null>(null);
  const place = l.number - 1;
  const rows = () => Math.round(pulled / Math.max(row.current?.offsetHeight ?? 40, 1));
  return (
    <Menu width={230} position="bottom-start">
      <Menu.ContextMenu>
        <div
          className={css.row}
          ref={row}
          role="option"
          tabIndex={chosen ? 0 : -1}
          aria-selected={selected}
          aria-posinset={here + 1}
          aria-setsize={shown.length}
          data-line={l.id}
          data-testid={`line-${l.id}`}
          data-chosen={chosen || undefined}
          data-pulled={pulled !== 0 || undefined}
          style={pulled ? { ...style, transform: `translateY(${pulled}px)` } : style}
          onClick={(event) => choose(event, shown, here)}
          onContextMenuCapture={() => set({ line: l.id })}
          onDoubleClick={() => go('score', l.id)}
          onKeyDown={(event) => {
            if (event.key === 'F2') setRenaming(true);
          }}
        >
          <Hint says="Drag to put it elsewhere">
            <span
              className={css.grip}
              aria-hidden
              onPointerDown={(event) => {
                event.currentTarget.setPointerCapture(event.pointerId);
                from.current = event.clientY;
              }}
              onPointerMove={(event) => {
                if (from.current !== null) setPulled(event.clientY - from.current);
              }}
              onLostPointerCapture={() => {
                from.current = null;
                const by = rows();
                setPulled(0);
                if (by !== 0) orderLines(all, place, place + by);
              }}
            >
              ⠿
            </span>
          </Hint>
          {/* For the pointer; the row itself says whether it is selected. */}
          <span
            aria-hidden
            className={css.mark}
            data-testid={`mark-${l.id}`}
            onClick={(event) => {
              event.stopPropagation();
              mark(l.id);
            }}
            onDoubleClick={(event) => event.stopPropagation()}
          >
            <Checkbox.Indicator size="xs" checked={marked} className={css.box} />
          </span>
          <span className={css.number}>{l.number}</span>
          <b className={css.who}>{l.character ?? '–'}</b>
          {renaming ? (
            <TextInput
              aria-label="Name of the line"
              data-testid="line-name"
              autoFocus
              defaultValue={l.name ?? ''}
              placeholder="a name of its own, such as PH_012"
              onClick={(event) => event.stopPropagation()}
              // A menu that closes gives the focus back to its row.
              onBlur={(event) => {
                if (row.current?.contains(event.relatedTarget)) event.currentTarget.focus();
                else setRenaming(false);
              }}
              onKeyDown={(event) => {
                event.stopPropagation();
                if (event.key === 'Escape') setRenaming(false);
                if (event.key !== 'Enter') return;
                nameLine(l.id, event.currentTarget.value.trim());
                setRenaming(false);
              }}
            />
          ) : (
            <span className={css.text}>
              {l.name && <em>{l.name} </em>}
              {l.text || (
                <i className="soft">{l.idle ? 'nothing is said' : `no text yet: ${l.recording_name}`}</i>
              )}
            </span>
          )}
          <Wave wave={l.wave} />
          <span className={css.seconds}>{l.duration.toFixed(1)} s</span>
          <LineStatus line={l} />
        </div>
      </Menu.ContextMenu>
      <Menu.Dropdown data-testid="menu-line">
        <Menu.Item onClick={() => go('score', l.id)}>Open the score</Menu.Item>
        <Menu.Item onClick={() => setRenaming(true)} rightSection="F2">
          Rename …
        </Menu.Item>
        <Menu.Item onClick={() => duplicateLine(l.id)}>Duplicate</Menu.Item>
        <Menu.Item disabled={place === 0} onClick={() => moveLine(all, l.id, -1)}>
          Move up
        </Menu.Item>
        <Menu.Item disabled={place === all.length - 1} onClick={() => moveLine(all, l.id, 1)}>
          Move down
        </Menu.Item>
        <Menu.Item onClick={() => void api.analyse(l.id).catch(tell)}>Time again</Menu.Item>
        <Scenes line={l.id} />
        <Menu.Divider />
        <ActionItem gives="delete">Delete</ActionItem>
      </Menu.Dropdown>
    </Menu>
  );
}

/** Scenes that a line can be put into. */
function Scenes({ line }: { line: number }) {
  const scenes = useQuery({ queryKey: ['scenes'], queryFn: api.scenes });
  return (
    <>
      {(scenes.data ?? []).slice(0, 5).map((s) => (
        <Menu.Item key={s.id} onClick={() => void intoScene(s.id, line)}>
          Into the scene {s.name}
        </Menu.Item>
      ))}
      <Menu.Item onClick={() => void newScene(scenes.data ?? [], [line])}>Into a new scene</Menu.Item>
    </>
  );
}
