import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type Grid, type LineView, api } from '../../api/client';
import { currentCurves, onCurves } from '../../api/live';
import { useSettings } from '../../settings';
import { get, set, useView } from '../../state';
import { useFrame } from '../../widgets/useFrame';
import { useIpa } from '../alphabet';
import { chosenWords, idsOf, keysOf } from '../chosen';
import { useVoice } from '../voice';
import * as player from '../player';
import { type Axis, GUTTER, type Stave, clampView, pixelsPerSecond, stavesOf, toX } from './axis';
import { domain, drawOpenStave, listing } from './curves';
import { drawEyesStave, drawHeadStave, drawMoodStave } from './draw/layers';
import { colours, repaint } from './draw/paint';
import { drawMouthStave } from './draw/ribbons';
import type { Context, Scene } from './draw/scene';
import { drawSounds } from './draw/sounds';
import { sized } from './draw/sized';
import { drawStrip } from './draw/strip';
import { drawVoice } from './draw/voice';
import { drawWords } from './draw/words';
import { LayerStave } from './LayerStave';
import { Levels } from './Levels';
import { sayListed } from './listed';
import { Names } from './Names';
import { OpenStave } from './OpenStave';
import { Ruler } from './Ruler';
import { SpeechLists } from './SpeechLists';
import { SpeechStaves } from './SpeechStaves';
import css from './Staves.module.css';
import { useWheel } from './useZoom';

const LAYERS = ['mood', 'eyes', 'head', 'hand'] as const;

const DRAWN: Partial<Record<Stave['name'], (c: Context, s: Scene, stave: Stave) => void>> = {
  voice: drawVoice,
  words: drawWords,
  sounds: drawSounds,
  strip: drawStrip,
  mouth: drawMouthStave,
  mood: drawMoodStave,
  eyes: drawEyesStave,
  head: drawHeadStave,
};

/** The score itself: the ruler, and the staves under it on one time axis. */
export function Staves({ line, grid }: { line: LineView; grid: Grid }) {
  const host = useRef<HTMLDivElement>(null);
  const body = useRef<HTMLDivElement>(null);
  const base = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const view = useView((s) => s.view);
  const chosen = useView((s) => s.chosen);
  const loop = useView((s) => s.loop);
  const open = useView((s) => s.open);
  const listed = useView((s) => s.listed);
  const curves = useView((s) => s.curves);
  const compared = useView((s) => s.compare);
  const ipa = useIpa(line);
  const heights = useSettings((s) => s.heights);
  const [find, setFind] = useState('');
  const voice = useVoice(line);
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: api.vocabulary, staleTime: Infinity });
  const sets = useQuery({ queryKey: ['curveSets'], queryFn: api.curveSets });
  const [fresh, setFresh] = useState(0);
  const { duration } = line.summary;
  const staves = useMemo(() => stavesOf(size.height, open, heights), [size.height, open, heights]);
  const high = staves.reduce((sum, s) => sum + s.height, 0);
  const axis: Axis = { view, width: size.width };
  const mouth = staves.find((s) => s.name === 'mouth');
  const own = sets.data?.find((s) => `set ${s.name}` === listed)?.controls;
  const all = open ? listing(line, currentCurves(), vocabulary.data, view, listed, find, curves, own) : [];
  const amounts = mouth && { stave: mouth, ...domain(all, currentCurves()) };
  useEffect(() => sayListed(all.map((one) => one.name)));

  useEffect(() => {
    const element = body.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
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

  // Drawn when what they show changes, never while only the playhead moves.
  useEffect(() => {
    const canvas = base.current;
    const c = canvas?.getContext('2d');
    if (!canvas || !c || size.width === 0) return;
    sized(canvas, c, size.width, high);
    const scene: Scene = {
      paint: colours(),
      axis,
      grid,
      line,
      voice: voice.data ?? null,
      curves: currentCurves(),
      chosen,
      words: new Set(chosenWords(line, chosen).map((w) => w.id)),
      sounds: new Set(idsOf(chosen, 'sounds')),
      loop,
      ipa,
    };
    for (const stave of staves) {
      // Nothing reaches into the names at the left.
      c.save();
      c.beginPath();
      c.rect(GUTTER, stave.top, size.width - GUTTER, stave.height);
      c.clip();
      if (open && stave.name === 'mouth' && amounts)
        drawOpenStave(c, scene, amounts, all, curves, keysOf(chosen));
      else DRAWN[stave.name]?.(c, scene, stave);
      c.restore();
      c.fillStyle = scene.paint.rule;
      c.fillRect(0, stave.top + stave.height - 1, size.width, 1);
    }
    // What else is used follows from these.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [
    size,
    view,
    voice.data,
    vocabulary.data,
    sets.data,
    chosen,
    loop,
    ipa,
    line,
    grid,
    fresh,
    open,
    listed,
    curves,
    find,
    compared,
    heights,
  ]);

  useWheel(host, duration);
  const onAxis = { '--from': view.start, '--px': pixelsPerSecond(axis) } as React.CSSProperties;

  return (
    <div className={css.staves} ref={host} data-testid="staves" onFocus={bringer(duration)}>
      <div className={css.axis} style={onAxis}>
        <Ruler line={line} grid={grid} width={size.width} fresh={fresh} />
      </div>
      <div className={css.body} ref={body}>
        <div className={css.content} style={{ height: high }}>
          <canvas ref={base} className={css.canvas} aria-hidden />
          <div className={css.axis} style={onAxis}>
            <SpeechStaves line={line} grid={grid} width={size.width} staves={staves} />
            {LAYERS.map((name) => {
              const stave = staves.find((s) => s.name === name);
              return (
                stave && <LayerStave key={name} line={line} width={size.width} stave={stave} name={name} />
              );
            })}
            {mouth && !open && (
              <div className={css.levels} style={{ top: mouth.top, height: mouth.height, left: GUTTER }}>
                <Levels line={line} width={size.width} stave={mouth} name="mouth" />
              </div>
            )}
          </div>
          {open && mouth && amounts && (
            <OpenStave
              line={line}
              grid={grid}
              axis={axis}
              scale={amounts}
              stave={mouth}
              all={all}
              text={find}
              onText={setFind}
            />
          )}
          <Names line={line} staves={staves} open={open} />
          <SpeechLists line={line} grid={grid} />
        </div>
      </div>
      <Playhead axis={axis} duration={duration} />
    </div>
  );
}

/** What gets the focus by key is brought into view, if it lies on the axis. */
const bringer =
  (duration: number) =>
  ({ target }: React.FocusEvent<HTMLElement>) => {
    const start = Number(target.style.getPropertyValue('--start') || NaN);
    const { view } = get();
    if (!target.matches(':focus-visible') || !(start < view.start || start > view.end)) return;
    const half = (view.end - view.start) / 2;
    set({ view: clampView({ start: start - half, end: start + half }, duration) });
  };

/** The playhead over ruler and staves; moved without React. */
function Playhead({ axis, duration }: { axis: Axis; duration: number }) {
  const mark = useRef<HTMLDivElement>(null);
  const last = useRef('');
  useFrame(() => {
    const time = player.now();
    const { playing, view } = get();
    if (playing && (time > view.end || time < view.start)) {
      // Turn the page when the playhead leaves it.
      const length = view.end - view.start;
      set({ view: clampView({ start: time, end: time + length }, duration) });
    }
    const x = toX({ view: get().view, width: axis.width }, time);
    const shown = x >= GUTTER - 1 && x <= axis.width ? `translateX(${x.toFixed(2)}px)` : '';
    if (shown === last.current || !mark.current) return;
    last.current = shown;
    mark.current.style.transform = shown;
    mark.current.style.visibility = shown ? '' : 'hidden';
  });
  return <div className={css.playhead} ref={mark} data-testid="playhead" />;
}
