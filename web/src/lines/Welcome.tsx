import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type LineSummary, api, queries } from '../api/client';
import { remember } from '../settings';
import { go, set } from '../state';
import { Press } from '../widgets/Press';
import { tell } from '../widgets/tell';
import css from './Welcome.module.css';

/** What an empty production says: how one begins, and a demo to look at. */
export function Welcome() {
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const [busy, setBusy] = useState(false);
  const demo = (guided: boolean) => {
    setBusy(true);
    api
      .bringDemo()
      .then(async () => {
        await queries.invalidateQueries();
        const [first] = queries.getQueryData<LineSummary[]>(['lines']) ?? [];
        if (!guided || !first) return;
        remember({ guide: 0 });
        go('score', first.id);
      })
      .catch(tell)
      .finally(() => setBusy(false));
  };
  return (
    <div className={css.welcome} data-testid="welcome">
      <h2>Nothing is here yet</h2>
      <ol>
        <li>
          <b>Bring a character in</b>, or take the ones of the demo.{' '}
          <span className="soft">Cast, then drop its GLB file.</span>
        </li>
        <li>
          <b>Bring a recording in</b> and type what is said in it.{' '}
          <span className="soft">Drop it anywhere on this page.</span>
        </li>
        <li>
          <b>Watch it speak</b>, correct what is not right, deliver it.
        </li>
      </ol>
      <div className={css.row}>
        <Press kind="main" testId="first-line" onClick={() => set({ adding: [] })}>
          Add the first line
        </Press>
        {production.data?.demo && (
          <Press testId="show-around" disabled={busy} onClick={() => demo(true)}>
            Show me around, with the demo
          </Press>
        )}
        {production.data?.demo && (
          <Press kind="quiet" testId="bring-demo" disabled={busy} onClick={() => demo(false)}>
            {busy ? 'Bringing it in …' : 'The demo alone'}
          </Press>
        )}
      </div>
    </div>
  );
}
