import { Modal, Switch, VisuallyHidden } from '@mantine/core';
import { useEffect, useState } from 'react';
import { type CommandId, type Entry, type Group, TABLE, pressedKey, shownKey } from './keys';
import css from './KeyMap.module.css';
import { remember, settings, useSettings } from './settings';
import { set, useView } from './state';
import { Hint } from './widgets/Hint';
import { Cap } from './widgets/Key';
import { Press } from './widgets/Press';

/** Every action with its keys, grouped by what one does; each can be given others. */
export function KeyMap() {
  const open = useView((s) => s.keyMap);
  return (
    <Modal opened={open} onClose={() => set({ keyMap: false })} title="Shortcuts" size="92%">
      {open && <List />}
    </Modal>
  );
}

function List() {
  const single = useSettings((s) => s.singleKeys);
  const own = useSettings((s) => s.keys);
  const [asking, setAsking] = useState<CommandId | null>(null);
  const groups = Map.groupBy(TABLE as Entry[], (e) => e.group);
  return (
    <div data-testid="key-map">
      <div className={css.head}>
        <Switch
          label="Single keys do something (off: only those with Ctrl or Cmd, arrows and the like)"
          data-testid="single-keys"
          checked={single}
          onChange={(event) => remember({ singleKeys: event.currentTarget.checked })}
        />
        <span className="soft small">Press the keys of an action to give it others.</span>
        <Press kind="quiet" disabled={Object.keys(own).length === 0} onClick={() => remember({ keys: {} })}>
          All as they were
        </Press>
      </div>
      <div className={css.groups}>
        {[...groups].map(([group, entries]) => (
          <section key={group} className={css.group}>
            <h3>{group satisfies Group}</h3>
            {entries.map((entry) => (
              <Row key={entry.id} entry={entry} asking={asking === entry.id} onAsk={setAsking} />
            ))}
          </section>
        ))}
      </div>
    </div>
  );
}

function Row({
  entry,
  asking,
  onAsk,
}: {
  entry: Entry;
  asking: boolean;
  onAsk: (id: CommandId | null) => void;
}) {
  const id = entry.id as CommandId;
  const own = useSettings((s) => s.keys[id]);
  const keys = own ?? entry.keys;
  useEffect(() => {
    if (!asking) return;
    const hear = (event: KeyboardEvent) => {
      const key = pressedKey(event);
      if (!key) return;
      event.preventDefault();
      event.stopPropagation();
      onAsk(null);
      if (key === 'Escape') return;
      give(id, key === 'Backspace' ? [] : [key]);
    };
    window.addEventListener('keydown', hear, true);
    return () => window.removeEventListener('keydown', hear, true);
  }, [asking, id, onAsk]);
  return (
    <div className={css.row}>
      <Hint says={asking ? null : 'Give it another key'}>
        <button
          className={css.keys}
          data-testid={`keys-${entry.id}`}
          onClick={() => onAsk(asking ? null : id)}
        >
          <VisuallyHidden>Keys of “{entry.name}”, press to change: </VisuallyHidden>
          {asking ? (
            <em>press a key; Backspace for none</em>
          ) : keys.length > 0 ? (
            keys.map((key) => <Cap key={key}>{shownKey(key)}</Cap>)
          ) : (
            <span className="soft">none</span>
          )}
        </button>
      </Hint>
      <span>{entry.name}</span>
      {own && (
        <Press kind="link" onClick={() => forget(id)}>
          as it was
        </Press>
      )}
    </div>
  );
}

/** Gives a command keys; who had one of them in the same place loses it. */
function give(id: CommandId, keys: string[]) {
  const all = { ...settings().keys, [id]: keys };
  const entry = TABLE.find((e) => e.id === id) as Entry;
  for (const other of TABLE as Entry[]) {
    const meets = !other.at || !entry.at || other.at.some((place) => entry.at?.includes(place));
    const theirs = all[other.id as CommandId] ?? other.keys;
    if (other.id !== id && meets && theirs.some((key) => keys.includes(key))) {
      all[other.id as CommandId] = theirs.filter((key) => !keys.includes(key));
    }
  }
  remember({ keys: all });
}

function forget(id: CommandId) {
  const rest = Object.entries(settings().keys).filter(([own]) => own !== id);
  remember({ keys: Object.fromEntries(rest) });
}
