import { FileButton, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answered } from '../../api/act';
import { type Laid, type LineView, type Motion, type MotionOrder, api, sentence } from '../../api/client';
import { REGIONS } from '../../cast/words';
import { Choice } from '../../widgets/Choice';
import { NumberField } from '../../widgets/NumberField';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { Problem } from '../../widgets/Problem';
import { RegionPick } from '../../widgets/RegionPick';
import css from './BringMotion.module.css';

/** Brings motion from elsewhere onto the line, as a pass; it is looked at before it is taken. */
export function BringMotion({ line }: { line: LineView }) {
  const [file, choose] = useState<File | null>(null);
  return (
    <>
      <FileButton accept=".json,.csv,.tsv,.txt,.glb,.gltf,.zip,.bvh" onChange={choose}>
        {(props) => (
          <Press
            {...props}
            testId="bring-motion"
            hint="Curves (.json, .csv), a clip of a glTF, head motion (.bvh) or a recorded capture, as a pass"
          >
            Bring motion in
          </Press>
        )}
      </FileButton>
      {file && <Look file={file} line={line} onClose={() => choose(null)} />}
    </>
  );
}

const words = (controls: string[]) => controls.map((c) => c.replaceAll('_', ' ')).join(', ');
const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;

function Look({ file, line, onClose }: { file: File; line: LineView; onClose: () => void }) {
  const { id } = line.summary;
  const stem = file.name.replace(/\.[^.]*$/, '').slice(0, 40);
  const [order, setOrder] = useState<MotionOrder>({
    clip: 0,
    rate: null,
    taken_for: 'itself',
    laid: { offset: 0, speed: 1, regions: [], laid: 'replace', free: true, name: `${stem} 1` },
    take: false,
  });
  const { laid } = order;
  const lay = (by: Partial<typeof laid>) => setOrder({ ...order, laid: { ...laid, ...by } });
  const asked = useQuery({
    queryKey: ['motion', id, file.name, file.size, file.lastModified, order],
    queryFn: () => api.motion(id, file, order),
    staleTime: 0,
    retry: false,
    placeholderData: (before) => before,
  });
  // Only a table does not say of itself what its numbers are.
  const table = /\.(csv|tsv|txt)$/i.test(file.name);
  const take = async () => {
    const taken = api.motion(id, file, { ...order, take: true }, line.revision);
    const laid = taken.then(({ line }) => {
      if (!line) throw new Error('The server did not lay it on the line; try once more.');
      return line;
    });
    if (await answered(laid)) onClose();
  };
  return (
    <Modal opened onClose={onClose} title="Bring motion in" size={640}>
      <div className={css.look} data-testid="motion">
        {asked.error ? (
          <Problem>{sentence(asked.error)}</Problem>
        ) : asked.data ? (
          <Told of={asked.data} />
        ) : (
          <p className="soft">Reading {file.name} …</p>
        )}
        <div className={css.row}>
          {(asked.data?.clips.length ?? 0) > 1 && (
            <Pick
              labelled
              label="clip"
              value={String(order.clip)}
              options={(asked.data?.clips ?? []).map((c, i) => [String(i), c || `clip ${i + 1}`] as const)}
              onChange={(clip) => setOrder({ ...order, clip: Number(clip) })}
            />
          )}
          {table && (
            <>
              <Pick
                labelled
                label="its columns are"
                value={order.taken_for ?? 'itself'}
                options={[
                  ['itself', 'what their names say'],
                  ['controls', 'controls'],
                  ['outputs', 'shapes and joints'],
                  ['capture', 'capture coefficients'],
                ]}
                onChange={(taken_for) => setOrder({ ...order, taken_for })}
              />
              <Pick
                labelled
                label="frames a second"
                value={order.rate ?? 'none'}
                options={[
                  ['none', 'told by the file'],
                  ...['24', '25', '29.97', '30', '50', '60', '120'].map((r) => [r, r] as const),
                ]}
                onChange={(rate) => setOrder({ ...order, rate: rate === 'none' ? null : rate })}
              />
            </>
          )}
        </div>
        <div className={css.row}>
          <NumberField
            labelled
            label="starts at"
            suffix=" s"
            value={laid.offset}
            onChange={(offset) => lay({ offset })}
          />
          <NumberField
            labelled
            label="speed"
            low={0.01}
            high={100}
            value={laid.speed}
            onChange={(speed) => lay({ speed })}
          />
          <Choice
            label="How it is laid"
            value={laid.laid}
            options={[
              ['replace', 'in place'],
              ['add', 'added'],
            ]}
            onChange={(to) => lay({ laid: to as Laid })}
          />
          <Choice
            label="What goes before"
            value={laid.free ? 'motion' : 'words'}
            options={[
              ['motion', 'over the words'],
              ['words', 'under the guard'],
            ]}
            onChange={(to) => lay({ free: to === 'motion' })}
          />
        </div>
        <RegionPick
          label="Parts of the face that it moves"
          on={laid.regions.length > 0 ? laid.regions : [...REGIONS]}
          onChange={(regions) => lay({ regions: regions.length === REGIONS.length ? [] : regions })}
        />
        <div className={css.row}>
          <Press
            kind="main"
            testId="take-motion"
            disabled={!asked.data || !!asked.error}
            onClick={() => void take()}
          >
            Lay it on the line
          </Press>
          <Press kind="quiet" onClick={onClose}>
            Leave it
          </Press>
        </div>
      </div>
    </Modal>
  );
}

/** What the file says, and what it cannot say. */
function Told({ of }: { of: Motion }) {
  return (
    <div className={css.told}>
      <p>
        This is {of.what}: {of.moments} moments, on the line from {of.from.toFixed(2)} to {of.to.toFixed(2)}{' '}
        s. It tells <b>{of.controls.length} controls</b>.
      </p>
      {of.unknown.length > 0 && (
        <details>
          <summary>{of.unknown.length} it cannot tell; they go on as they are</summary>
          <p>{words(of.unknown)}</p>
        </details>
      )}
      {of.off.length > 0 ? (
        <details open>
          <summary>
            {of.off.length === 1 ? 'One shape' : `${of.off.length} shapes`} of this face cannot be as the file
            has
            {of.off.length === 1 ? ' it' : ' them'}
          </summary>
          <p>
            {of.off
              .slice(0, 8)
              .map((o) => `${o.name} off by up to ${percent(o.max)}`)
              .join(', ')}
          </p>
        </details>
      ) : (
        <p className="soft">This face can show all of it.</p>
      )}
      {of.ignored.length > 0 && (
        <details>
          <summary>{of.ignored.length} names in it are not known here</summary>
          <p>{of.ignored.slice(0, 60).join(', ')}</p>
        </details>
      )}
    </div>
  );
}
