import { useEffect, useRef, useState } from 'react';
import { sentence } from '../api/client';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { Problem } from '../widgets/Problem';
import { useFrame } from '../widgets/useFrame';
import { Along } from './along';
import { Microphone, type Recorded } from './microphone';
import css from './Recorder.module.css';

interface Props {
  /** What shall be said, to read from. */
  text: string;
  /** The take that is used, or none yet. */
  onUse: (take: Recorded) => void;
  use: string;
  /** The line whose face speaks along, where one is on stage. */
  along?: number;
  /** Takes that the line has: their names, and where they can be heard. */
  earlier?: { name: string; address: string }[];
}

type Phase = 'closed' | 'ready' | 'counting' | 'recording';
/** Milliseconds between the numbers of the count-in. */
const BEAT = 700;
const COUNT = 3;

/** Records takes of a line: level, count-in, as many takes as it needs, one of them used. */
export function Recorder({ text, onUse, use, along, earlier = [] }: Props) {
  const microphone = useRef(new Microphone());
  const meter = useRef<HTMLDivElement>(null);
  const [phase, setPhase] = useState<Phase>('closed');
  const [count, setCount] = useState(0);
  const [clipped, setClipped] = useState(false);
  const [takes, setTakes] = useState<Recorded[]>([]);
  const [made, setMade] = useState(0);
  const [problem, setProblem] = useState('');

  useEffect(() => {
    const device = microphone.current;
    return () => device.close();
  }, []);

  // The meter moves without React.
  const shown = useRef(0);
  const began = useRef(0);
  const clock = useRef<HTMLElement>(null);
  useFrame(() => {
    const level = microphone.current.level();
    // Rises at once, falls slowly; decibels from -60 to 0.
    shown.current = Math.max(level, shown.current * 0.93);
    const share = Math.max(0, Math.min(1, 1 + (20 * Math.log10(Math.max(shown.current, 1e-6))) / 60));
    if (meter.current) meter.current.style.width = `${share * 100}%`;
    if (level >= 0.999) setClipped(true);
    if (clock.current && phase === 'recording') {
      clock.current.textContent = `${((performance.now() - began.current) / 1000).toFixed(1)} s`;
    }
  }, phase !== 'closed');

  // The face follows as long as the microphone is open.
  const [follows, setFollows] = useState(true);
  const follower = useRef<Along | null>(null);
  const isOpen = phase !== 'closed';
  useEffect(() => {
    if (along === undefined || !isOpen || !follows) return;
    const device = microphone.current;
    const own = new Along(along, device.rate(), (says) => {
      setProblem(says);
      setFollows(false);
    });
    follower.current = own;
    device.onBlock = (samples) => own.take(samples);
    return () => {
      follower.current = null;
      device.onBlock = null;
      own.close();
    };
  }, [along, isOpen, follows]);

  // Counts in, then records.
  useEffect(() => {
    if (phase !== 'counting') return;
    microphone.current.tick(count === 1);
    const timer = setTimeout(() => {
      if (count > 1) {
        setCount(count - 1);
      } else {
        microphone.current.start();
        follower.current?.begin();
        began.current = performance.now();
        setPhase('recording');
      }
    }, BEAT);
    return () => clearTimeout(timer);
  }, [phase, count]);

  const [device, setDevice] = useState('');
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  const open = async (device = '') => {
    try {
      await microphone.current.open(device || undefined);
      setDevices(await microphone.current.devices());
      setProblem('');
      setPhase('ready');
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  const record = () => {
    setClipped(false);
    setCount(COUNT);
    setPhase('counting');
  };
  const stop = async () => {
    const take = microphone.current.stop(`take ${earlier.length + 1 + made}.wav`);
    setPhase('ready');
    const heard = (await follower.current?.end()) ?? null;
    if (!take) {
      setProblem('Nothing was heard; look whether the microphone is on, then record again.');
      return;
    }
    setMade(made + 1);
    // Something may have been done with the others meanwhile.
    setTakes((all) => [...all, { ...take, heard }]);
  };

  if (phase === 'closed') {
    return (
      <div className={css.recorder}>
        <div>
          <Press testId="open-microphone" onClick={() => void open()}>
            Use the microphone
          </Press>
        </div>
        {problem && <Problem>{problem}</Problem>}
      </div>
    );
  }
  return (
    <div className={css.recorder} data-testid="recorder" data-phase={phase}>
      {text && <div className="serif">{text}</div>}
      {devices.length > 1 && (
        <Pick
          labelled
          label="microphone"
          testId="device"
          value={device}
          disabled={phase !== 'ready'}
          options={[
            ['', 'the usual one'] as const,
            ...devices.map((d) => [d.deviceId, d.label || 'a microphone'] as const),
          ]}
          onChange={(next) => {
            setDevice(next);
            microphone.current.close();
            void open(next);
          }}
        />
      )}
      <div className={css.meter} role="img" aria-label="Level of the microphone">
        <div ref={meter} />
        <i style={{ left: `${(100 * (60 - 12)) / 60}%` }} />
      </div>
      <span className="soft">
        {clipped
          ? 'Too loud: it was cut off at full scale. Step back or turn the microphone down.'
          : 'The loudest words should come near the mark, 12 dB below full scale.'}
      </span>
      <div className={css.row}>
        {phase === 'recording' ? (
          <Press kind="main" testId="stop-recording" onClick={() => void stop()}>
            Stop
          </Press>
        ) : (
          <Press kind="main" testId="record" disabled={phase === 'counting'} onClick={record}>
            {takes.length === 0 ? 'Record' : 'Record another take'}
          </Press>
        )}
        {along !== undefined && (
          <Press
            kind="chip"
            pressed={follows}
            disabled={phase === 'recording'}
            testId="speak-along"
            hint="The face speaks along with the microphone, a quarter of a second behind it at most. The take keeps the sounds that were heard, and is timed properly when it is used."
            onClick={() => {
              setProblem('');
              setFollows(!follows);
            }}
          >
            The face speaks along
          </Press>
        )}
        <b aria-live="assertive" className={css.count}>
          {phase === 'counting' ? count : phase === 'recording' ? 'Recording' : ''}
        </b>
        {phase === 'recording' && <b className="num" ref={clock} data-testid="elapsed" />}
      </div>
      {takes.map((take, i) => (
        <TakeRow
          key={take.file.name}
          take={take}
          use={use}
          onUse={() => onUse(take)}
          onThrow={() => setTakes(takes.filter((_, j) => j !== i))}
        />
      ))}
      {earlier.length > 0 && (
        <>
          <b>Earlier takes</b>
          {earlier.map((take) => (
            <div key={take.address} className={css.take}>
              <span>{take.name}</span>
              <audio controls preload="none" src={take.address} />
            </div>
          ))}
        </>
      )}
      {problem && <Problem>{problem}</Problem>}
    </div>
  );
}

function TakeRow(props: { take: Recorded; use: string; onUse: () => void; onThrow: () => void }) {
  const { take, use, onUse, onThrow } = props;
  const [address] = useState(() => URL.createObjectURL(take.file));
  useEffect(() => () => URL.revokeObjectURL(address), [address]);
  return (
    <div className={css.take}>
      <b>{take.file.name.replace('.wav', '')}</b>
      <audio controls src={address} />
      <span className="soft">
        {take.seconds.toFixed(1)} s{take.peak >= 0.999 ? ', cut off' : ''}
      </span>
      <Press testId="use-take" onClick={onUse}>
        {use}
      </Press>
      <Press kind="quiet" onClick={onThrow}>
        Delete
      </Press>
    </div>
  );
}
