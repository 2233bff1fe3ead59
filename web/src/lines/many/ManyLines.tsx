import { Checkbox, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type Columns, type Intake, type ProposedLine, api } from '../../api/client';
import { set, useView } from '../../state';
import { Asked } from '../../widgets/Asked';
import { Hint } from '../../widgets/Hint';
import { Long } from '../../widgets/Long';
import { Pick } from '../../widgets/Pick';
import { Press } from '../../widgets/Press';
import { Problem } from '../../widgets/Problem';
import { count } from '../../widgets/words';
import { bringLines } from './bring';
import { type Came, gather, isReadFirst } from './gather';
import css from './ManyLines.module.css';
import { toggled } from './toggled';

const close = () => set({ many: null });

/** Many recordings that came together: what would come of them, before they are brought in. */
export function ManyLines() {
  const many = useView((s) => s.many);
  return (
    <Modal opened={many !== null} onClose={close} title="Add lines" size={1100}>
      {many && <Form files={many} />}
    </Modal>
  );
}

interface Looked {
  intake: Intake;
  came: Map<string, Came>;
}

async function look(files: File[], columns: Columns | null): Promise<Looked> {
  const all = await gather(files);
  const first = all.filter(isReadFirst);
  const read = await Promise.all(first.map(async (one) => ({ path: one.path, file: await one.read() })));
  const recordings = all.filter((one) => !isReadFirst(one));
  const intake = await api.intake(
    recordings.map((one) => one.path),
    read,
    columns,
  );
  return { intake, came: new Map(recordings.map((one) => [one.path, one])) };
}

function Form({ files }: { files: File[] }) {
  const [columns, setColumns] = useState<Columns | null>(null);
  const looked = useQuery({
    queryKey: ['intake', files, columns],
    queryFn: () => look(files, columns),
    retry: 0,
    gcTime: 0,
    placeholderData: (before) => before,
  });
  return (
    <Asked query={looked}>
      {(looked) => <Preview key={looked.came.size} looked={looked} setColumns={setColumns} />}
    </Asked>
  );
}

const isWrong = (line: ProposedLine) => line.recording == null;

function Preview({
  looked: { intake, came },
  setColumns,
}: {
  looked: Looked;
  setColumns: (columns: Columns) => void;
}) {
  const cast = useQuery({ queryKey: ['cast'], queryFn: api.cast });
  const [who, setWho] = useState<string | null>(null);
  const [out, setOut] = useState<ReadonlySet<number>>(
    // What is there already is left out until somebody says otherwise.
    new Set(intake.lines.flatMap((l, k) => (l.doubts.some((d) => d.code === 'there_already') ? [k] : []))),
  );
  const [onlyDoubts, setOnlyDoubts] = useState(false);
  const rest = who ?? cast.data?.[0]?.key ?? '';
  const titles = new Map((cast.data ?? []).map((m) => [m.key, m.name]));
  const rows = intake.lines.map((line, k) => ({ line, k }));
  const shown = onlyDoubts ? rows.filter((r) => r.line.doubts.length > 0) : rows;
  const going = rows.filter((r) => !isWrong(r.line) && !out.has(r.k));
  const doubtful = rows.filter((r) => r.line.doubts.length > 0).length;
  const missing = rows.filter((r) => isWrong(r.line)).length;
  const bring = () => {
    const lines = going.map(({ line }) => ({ ...line, character: line.character ?? (rest || null) }));
    void bringLines(lines, came, intake.script);
    close();
  };
  return (
    <div className={css.form} data-testid="many">
      {intake.problem && <Problem>{intake.problem}</Problem>}
      {intake.headers.length > 0 && <ColumnsPart intake={intake} onChange={setColumns} />}
      <div className={css.top}>
        <b data-testid="many-count">{count(going.length, 'line')}</b>
        {doubtful > 0 && (
          <Press kind="chip" pressed={onlyDoubts} testId="doubts" onClick={() => setOnlyDoubts(!onlyDoubts)}>
            {doubtful} to look at
          </Press>
        )}
        {missing > 0 && <span className={css.wrong}>{missing} cannot come in</span>}
        {intake.script.length > 0 && (
          <span className="soft">
            A script of {count(intake.script.length, 'line')}: it is matched to what is heard.
          </span>
        )}
        <span style={{ marginLeft: 'auto' }}>
          <Pick
            labelled
            label="Who says the rest"
            testId="many-who"
            value={rest}
            options={[
              ...(rest === '' ? [['', 'nobody yet'] as const] : []),
              ...(cast.data ?? []).map((m) => [m.key, m.name] as const),
            ]}
            onChange={setWho}
          />
        </span>
      </div>
      {rows.length === 0 ? (
        <p className="soft">
          No recording is among them. Drop sound files (WAV, FLAC, MP3, Ogg, M4A, AIFF), a folder or a zip of
          them, with texts (.txt, .srt, .vtt) of the same names, a table (.csv) or a script beside them.
        </p>
      ) : (
        <Long
          className={css.table}
          role="group"
          rows={shown}
          height={34}
          label="Lines that would come in"
          testId="many-lines"
        >
          {({ line, k }, _, style) => (
            <div
              key={k}
              className={css.row}
              style={style}
              data-out={out.has(k) || isWrong(line) || undefined}
            >
              <Checkbox
                aria-label={`Bring ${line.called} in`}
                checked={!out.has(k) && !isWrong(line)}
                disabled={isWrong(line)}
                onChange={() => setOut(toggled(out, k))}
              />
              <span title={line.called}>{line.name ?? line.called.split('/').pop()}</span>
              <span className={css.said} title={line.text ?? undefined}>
                {line.text ?? ''}
              </span>
              <span>{titles.get(line.character ?? rest) ?? '–'}</span>
              <span className="soft">
                {[line.language, line.moods.join(' '), line.first_frame != null && `from ${line.first_frame}`]
                  .filter(Boolean)
                  .join(' · ')}
              </span>
              <Hint says={line.doubts.map((d) => d.says).join(' ')}>
                <span className={line.doubts.some((d) => d.wrong) ? css.wrong : css.doubt}>
                  {line.doubts.map((d) => d.says).join(' ')}
                </span>
              </Hint>
            </div>
          )}
        </Long>
      )}
      <div className={css.end}>
        <Press onClick={close}>Cancel</Press>
        <Press kind="main" testId="bring-many" disabled={going.length === 0} onClick={bring}>
          Bring {count(going.length, 'line')} in
        </Press>
      </div>
    </div>
  );
}

const COLUMNS = [
  ['file', 'the recording'],
  ['text', 'the text'],
  ['language', 'its language'],
  ['character', 'who says it'],
  ['mood', 'the mood'],
  ['first_frame', 'the first frame'],
  ['name', 'its name'],
] as const;

/** Which column of the table says what. */
function ColumnsPart({ intake, onChange }: { intake: Intake; onChange: (columns: Columns) => void }) {
  const { headers, columns } = intake;
  return (
    <div className={css.columns} data-testid="columns">
      <span className="soft">In the table</span>
      {COLUMNS.map(([column, words]) => (
        <Pick
          key={column}
          labelled
          label={words}
          value={columns[column] === undefined ? '' : String(columns[column])}
          options={[
            ['', 'is not in it'] as const,
            ...headers.map((header, k) => [String(k), header || `column ${k + 1}`] as const),
          ]}
          onChange={(place) => {
            const rest = Object.entries(columns).filter(([name]) => name !== column);
            onChange(Object.fromEntries(place === '' ? rest : [...rest, [column, Number(place)]]));
          }}
        />
      ))}
    </div>
  );
}
