import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import { Asked } from '../widgets/Asked';
import css from './SheetTable.module.css';

/** The exposure sheet of a line, as it is printed. */
export function SheetTable({ line }: { line: number }) {
  const sheet = useQuery({ queryKey: ['sheet', line], queryFn: () => api.sheet(line), staleTime: 0 });
  return (
    <Asked query={sheet}>
      {({ rows, frame_rate }) => {
        const second = Math.max(1, Math.round(frame_rate.num / frame_rate.den));
        return (
          <>
            <a className={css.print} href={`/api/lines/${line}/sheet/page`} target="_blank" rel="noreferrer">
              Open the page to print
            </a>
            <div
              className={css.sheet}
              tabIndex={0}
              role="region"
              aria-label="Exposure sheet"
              data-testid="sheet"
            >
              <table>
                <thead>
                  <tr>
                    {['frame', 'word', 'sound', 'mouth', 'lids'].map((h) => (
                      <th key={h}>{h}</th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {rows.map((r, i) => (
                    <tr key={r.frame} data-second={i % second === 0 || undefined}>
                      <td className="num">{r.frame}</td>
                      <td className={r.word === '|' ? undefined : css.word}>{r.word}</td>
                      <td>{r.sound}</td>
                      <td>{i > 0 && rows[i - 1]?.mouth === r.mouth ? '|' : r.mouth}</td>
                      <td>{r.lids}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </>
        );
      }}
    </Asked>
  );
}
