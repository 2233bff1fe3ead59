import { useEffect, useRef, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { type Grid, type LineView, api } from '../api/client';
import { currentCurves, onCurves } from '../api/live';
import { type Listed, get, set, useView } from '../state';
import { useVoice } from './voice';
import { type Held, edgeAt, letGo } from './correct';
import * as draw from './draw';
import { LayerStave } from './LayerStave';
import { Levels } from './Levels';
import { GUTTER, type Stave, type StaveName, clampView, stavesOf, toTime } from './layout';
import { OpenStave } from './OpenStave';
import { domain, drawOpenStave, listing } from './openStave';
import { colours, repaint } from './paint';
import * as player from './player';

interface Props {
  line: LineView;
  grid: Grid;
}

const TITLES: Record<string, string> = {
  voice: 'Voice',
  words: 'Words',
  sounds: 'Sounds',
  strip: 'Lip strip',
  mouth: 'Mouth',
  mood: 'Mood',
  eyes: 'Eyes',
  head: 'Head',
  hand: 'By hand',
};

const LAYERS = ['mood', 'eyes', 'head', 'hand'] as const;

/** Which curves a stave opens to. */
const OPENS: Partial<Record<StaveName, Listed>> = {
  mouth: 'moving',
  mood: 'cheeks',
  eyes: 'lids',
  head: 'head',
  hand: 'touched',
};

/** Where a press goes: the ruler scrubs, words and sounds are chosen, the rest sets the playhead. */
function press(staves: Stave[], line: LineView, time: number, y: number) {
  const stave = staves.find((s) => y >= s.top && y < s.top + s.height)?.name;
  const inside = (i: { span: { start: number; end: number } }) => time >= i.span.start && time < i.span.end;
  if (stave === 'words') {
    const word = draw.wordsOf(line).findIndex(inside);
    if (word >= 0) return chooseWord(line, word);
  }
  if (stave === 'sounds') {
    const sound = draw.soundsOf(line).findIndex((s) => inside(s) && s.phone !== 'SIL');
    const found = draw.soundsOf(line)[sound];
    if (found) {
      set({
        selected: { word: draw.wordsOf(line)[found.word ?? -1]?.id ?? null, sound: found.id },
        layer: null,
      });
      player.seek(found.span.start);
      return false;
    }
  }
  player.seek(time, true);
  return true;
}

export function chooseWord(line: LineView, word: number) {
  const found = draw.wordsOf(line)[word];
  if (!found) return false;
  set({ selected: { word: found.id, sound: null }, layer: null });
  player.seek(found.span.start);
  return false;
}

export function Staves({ line, grid }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const base = useRef<HTMLCanvasElement>(null);
  const over = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const view = useView((s) => s.view);
  const selected = useView((s) => s.selected);
  const loop = useView((s) => s.loop);
  const ipa = useView((s) => s.ipa);
  const open = useView((s) => s.open);
  const listed = useView((s) => s.listed);
  const control = useView((s) => s.control);
  const keys = useView((s) => s.keys);
  const compared = useView((s) => s.compare);
  const [find, setFind] = useState('');
  const voice = useVoice(line);
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const sets = useQuery({ queryKey: ['curveSets'], queryFn: api.curveSets });
  const [fresh, setFresh] = useState(0);
  /** Where an edge is being dragged to. */
  const guide = useRef<number | null>(null);
  const staves = stavesOf(size.height, open);
  const mouth = staves.find((s) => s.name === 'mouth');
  const own = sets.data?.find((s) => `set ${s.name}` === listed)?.controls;
  const all = open ? listing(line, currentCurves(), vocabulary.data, view, listed, find, control, own) : [];
  const amounts = mouth && { stave: mouth, ...domain(all, currentCurves()) };
  const duration = line.summary.duration;
  const doubtful = draw.soundsOf(line).filter((s) => draw.soundIsDoubtful(line, s)).length;

  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      setSize({ width: element.clientWidth, height: element.clientHeight });
    });
    observer.observe(element);
    const redraw = () => setFresh((n) => n + 1);
    const off = onCurves(redraw);
    void document.fonts.ready.then(redraw);
    const themed = new MutationObserver(() => {
      repaint();
      redraw();
    });
    themed.observe(document.documentElement, { attributeFilter: ['data-mantine-color-scheme'] });
    return () => {
      observer.disconnect();
      themed.disconnect();
      off();
    };
  }, []);

  // The staves: drawn when what they show changes, never while only the playhead moves.
  useEffect(() => {
    const canvas = base.current;
    const c = canvas?.getContext('2d');
    if (!canvas || !c || size.width === 0) return;
    const scale = devicePixelRatio || 1;
    canvas.width = size.width * scale;
    canvas.height = size.height * scale;
    c.setTransform(scale, 0, 0, scale, 0, 0);
    c.clearRect(0, 0, size.width, size.height);
    const axis = { view, width: size.width };
    const scene = {
      paint: colours(),
      axis,
      grid,
      line,
      voice: voice.data ?? null,
      curves: currentCurves(),
      selected,
      loop,
      ipa,
    };
    const drawn: Record<string, (c: CanvasRenderingContext2D, s: draw.Scene, stave: Stave) => void> = {
      ruler: draw.drawRuler,
      voice: draw.drawVoice,
      words: draw.drawWords,
      sounds: draw.drawSounds,
      strip: draw.drawStrip,
      mouth: (c, s, stave) =>
        open && amounts ? drawOpenStave(c, s, amounts, all, control, keys) : draw.drawMouthStave(c, s, stave),
      mood: draw.drawMoodStave,
      eyes: draw.drawEyesStave,
      head: draw.drawHeadStave,
    };
    for (const stave of staves) {
      // Nothing reaches into the names at the left.
      c.save();
      c.beginPath();
      c.rect(GUTTER, stave.top, size.width - GUTTER, stave.height);
      c.clip();
      drawn[stave.name]?.(c, scene, stave);
      c.restore();
      c.fillStyle = scene.paint.rule;
      c.fillRect(0, Math.round(stave.top + stave.height) - 1, size.width, 1);
    }
    // `all` and `amounts` follow from what is named here.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [
    size,
    view,
    voice.data,
    vocabulary.data,
    selected,
    loop,
    ipa,
    line,
    grid,
    fresh,
    open,
    listed,
    control,
    keys,
    find,
    compared,
    vocabulary.data,
  ]);

  // The playhead, on a canvas of its own.
  useEffect(() => {
    const canvas = over.current;
    const c = canvas?.getContext('2d');
    if (!canvas || !c || size.width === 0) return;
    const scale = devicePixelRatio || 1;
    canvas.width = size.width * scale;
    canvas.height = size.height * scale;
    let last = -1;
    let lastGuide: number | null = null;
    let running = true;
    const tick = () => {
      if (!running) return;
      const time = player.now();
      const state = get();
      if (state.playing && (time > state.view.end || time < state.view.start)) {
        // Turn the page when the playhead leaves it.
        const length = state.view.end - state.view.start;
        set({ view: clampView({ start: time, end: time + length }, duration) });
      }
      if (time !== last || guide.current !== lastGuide) {
        last = time;
        lastGuide = guide.current;
        c.setTransform(scale, 0, 0, scale, 0, 0);
        c.clearRect(0, 0, size.width, size.height);
        const axis = { view: state.view, width: size.width };
        draw.drawPlayhead(c, axis, colours(), time, size.height);
        if (guide.current !== null) draw.drawGuide(c, axis, colours(), guide.current, size.height);
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
    };
  }, [size, view, duration, fresh]);

  // Wheel: sideways moves, with Ctrl it zooms about the pointer. React's own handler cannot prevent
  // the page's zoom.
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { view: v } = get();
      const length = v.end - v.start;
      if (event.ctrlKey || event.altKey) {
        const x = event.clientX - element.getBoundingClientRect().left;
        const middle = toTime({ view: v, width: element.clientWidth }, x);
        const factor = Math.exp(event.deltaY * 0.002);
        set({
          view: clampView(
            { start: middle - (middle - v.start) * factor, end: middle + (v.end - middle) * factor },
            duration,
          ),
        });
        return;
      }
      const move = ((event.deltaX || event.deltaY) / element.clientWidth) * length;
      set({ view: clampView({ start: v.start + move, end: v.end + move }, duration) });
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [duration]);

  /** Fingers on the staves; two of them pinch and drag the view. */
  const fingers = useRef(new Map<number, number>());
  const pinch = (event: React.PointerEvent): boolean => {
    if (event.pointerType !== 'touch' || !fingers.current.has(event.pointerId)) return false;
    const before = [...fingers.current.values()];
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    fingers.current.set(event.pointerId, x);
    const after = [...fingers.current.values()];
    if (before.length !== 2) return false;
    const axis = { view: get().view, width: size.width };
    const [a, b] = [toTime(axis, Math.min(...before)), toTime(axis, Math.max(...before))];
    const [left, right] = [Math.min(...after), Math.max(...after)];
    if (right - left < 8) return true;
    // The moments under the fingers stay under them.
    const perPixel = (b - a) / (right - left);
    const start = a - (left - GUTTER) * perPixel;
    const pixels = (axis.view.end - axis.view.start) / (toTime(axis, 1) - toTime(axis, 0));
    set({ view: clampView({ start, end: start + perPixel * pixels }, duration) });
    return true;
  };
  const lift = (event: React.PointerEvent) => fingers.current.delete(event.pointerId);

  const scrubbing = useRef(false);
  const held = useRef<Held | null>(null);
  const [grip, setGrip] = useState(false);
  const timeOf = (event: React.PointerEvent) => {
    const rect = event.currentTarget.getBoundingClientRect();
    return {
      time: toTime({ view, width: rect.width }, event.clientX - rect.left),
      y: event.clientY - rect.top,
    };
  };

  const under = (event: React.PointerEvent): Held | null => {
    const rect = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - rect.left, event.clientY - rect.top];
    const stave = staves.find((s) => y >= s.top && y < s.top + s.height);
    const axis = { view, width: rect.width };
    const edge = edgeAt(line, axis, stave, x);
    if (edge) return edge;
    // A word that is selected already is moved by dragging it.
    const { word, sound } = get().selected;
    const found = draw.wordOf(line, word);
    const time = toTime(axis, x);
    const inside = found && time >= found.span.start && time < found.span.end;
    if (stave?.name === 'words' && word !== null && sound === null && inside) {
      return { what: 'word', word, from: time, time };
    }
    return null;
  };

  return (
    <div className="staves" ref={host} data-testid="staves">
      <canvas ref={base} style={{ width: '100%', height: '100%' }} />
      <canvas
        ref={over}
        style={{ width: '100%', height: '100%' }}
        aria-label="The staves of the line: voice, words, sounds, lip strip and mouth over time"
        role="img"
        data-grip={grip || undefined}
        onPointerDown={(event) => {
          if (event.pointerType === 'touch') {
            fingers.current.set(
              event.pointerId,
              event.clientX - event.currentTarget.getBoundingClientRect().left,
            );
            if (fingers.current.size > 1) return;
          }
          const { time, y } = timeOf(event);
          held.current = under(event);
          if (held.current) {
            event.currentTarget.setPointerCapture(event.pointerId);
            return;
          }
          scrubbing.current = press(staves, line, time, y);
          if (get().keys.length > 0) set({ keys: [] });
          if (scrubbing.current) event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerCancel={lift}
        onPointerMove={(event) => {
          if (pinch(event)) return;
          const { time } = timeOf(event);
          if (held.current) guide.current = time;
          else if (scrubbing.current) player.seek(time, true);
          else setGrip(under(event) !== null);
        }}
        onPointerUp={(event) => {
          lift(event);
          scrubbing.current = false;
          if (held.current) letGo(held.current, timeOf(event).time, event.altKey);
          held.current = null;
          guide.current = null;
        }}
        onDoubleClick={(event) => {
          const rect = event.currentTarget.getBoundingClientRect();
          const stave = staves.find((s) => event.clientY - rect.top < s.top + s.height);
          const word = draw.wordOf(line, get().selected.word);
          if (word && (stave?.name === 'words' || stave?.name === 'sounds')) player.loop(word.span);
        }}
      />
      {open && mouth && amounts && (
        <OpenStave
          line={line}
          axis={{ view, width: size.width }}
          scale={amounts}
          stave={mouth}
          all={all}
          text={find}
          onText={setFind}
        />
      )}
      {LAYERS.map((name) => {
        const stave = staves.find((s) => s.name === name);
        return (
          stave && (
            <LayerStave key={name} line={line} axis={{ view, width: size.width }} stave={stave} name={name} />
          )
        );
      })}
      {mouth && !open && (
        <div className="levels-of-mouth" style={{ top: mouth.top, height: mouth.height, left: GUTTER }}>
          <Levels line={line} axis={{ view, width: size.width }} stave={mouth} name="mouth" />
        </div>
      )}
      {staves
        .filter((s) => s.name !== 'ruler' && !(open && s.name === 'mouth'))
        .map((s) => (
          <div key={s.name} className="stave-name" style={{ top: s.top, height: s.height }}>
            {OPENS[s.name] ? (
              <button
                className="quiet stave-open"
                data-testid={`open-${s.name}`}
                title="Open the stave: its curves and keys"
                onClick={() => set({ open: true, listed: OPENS[s.name] ?? 'moving' })}
              >
                {TITLES[s.name]} ▸
              </button>
            ) : (
              <b>{TITLES[s.name]}</b>
            )}
            <StaveNote line={line} name={s.name} doubtful={doubtful} ipa={ipa} />
          </div>
        ))}
    </div>
  );
}

/** What there is to say of a stave, at the right of its name. */
function StaveNote({
  line,
  name,
  doubtful,
  ipa,
}: {
  line: LineView;
  name: StaveName;
  doubtful: number;
  ipa: boolean;
}) {
  const { settings, moods, moves } = line.layers;
  const alone = [settings.mouth, settings.mood, settings.eyes, settings.head, settings.hand].some(
    (l) => l.alone,
  );
  const layer =
    name === 'mouth' || (LAYERS as readonly string[]).includes(name) ? settings[name as 'mouth'] : null;
  if (layer && (!layer.on || (alone && !layer.alone))) return <span className="silent">silent</span>;
  switch (name) {
    case 'sounds':
      return (
        <button
          className="quiet"
          onClick={() => set({ ipa: !ipa })}
          title="Show sounds in the other alphabet"
        >
          {doubtful > 0 ? `${doubtful} doubtful` : ipa ? 'IPA' : 'ARPAbet'}
        </button>
      );
    case 'mouth':
      return (
        <span className="organs">
          {(['jaw', 'lips', 'tongue'] as const).map((organ) => (
            <span key={organ}>
              <i className="swatch" style={{ background: `var(--${organ})` }} />
              {organ}
            </span>
          ))}
        </span>
      );
    case 'mood':
      return <span>{moods.length === 0 ? 'none' : settings.guard > 0 ? 'guarded' : 'no guard'}</span>;
    case 'eyes': {
      const count = currentCurves()?.blinks.length ?? 0;
      return <span>{count === 1 ? 'a blink' : `${count} blinks`}</span>;
    }
    case 'head':
      return <span>{moves.length > 0 ? 'and by hand' : 'by voice'}</span>;
    case 'hand':
      return <span>{line.touches.length === 1 ? 'a touch' : `${line.touches.length} touches`}</span>;
    default:
      return null;
  }
}
