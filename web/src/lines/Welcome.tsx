import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, queries } from '../api/client';
import { set } from '../state';
import { Press } from '../widgets/Press';
import { tell } from '../widgets/tell';
import css from './Welcome.module.css';

/** What an empty production says: how one begins, and a demo to look at. */
export function Welcome() {
  const production = useQuery({ queryKey: ['production'], queryFn: api.production });
  const [busy, setBusy] = useState(false);
  const demo = () => {
    setBusy(true);
    api
      .bringDemo()
      .then(() => queries.invalidateQueries())
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
          <Press testId="bring-demo" disabled={busy} onClick={demo}>
            {busy ? 'Bringing it in …' : 'Bring in the demo: Fog at Pell Harbour'}
          </Press>
        )}
      </div>
    </div>
  );
}
