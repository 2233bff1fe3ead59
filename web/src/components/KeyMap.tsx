import { Modal } from '@mantine/core';
import { commands } from '../commands';
import { set, useView } from '../state';

/** Every action with its key. */
export function KeyMap({ night }: { night: () => void }) {
  const open = useView((s) => s.keyMap);
  const all = commands(night);
  const keyed = all.filter((c) => c.key);
  const others = all.filter((c) => !c.key);
  return (
    <Modal opened={open} onClose={() => set({ keyMap: false })} title="Keys" size="90%" centered>
      <div className="key-map" data-testid="key-map">
        {keyed.map((c) => (
          <div key={c.name}>
            <kbd className="key">{c.show ?? c.key?.toUpperCase()}</kbd>
            <span>{c.name}</span>
          </div>
        ))}
      </div>
      <p className="soft">
        Without a key of their own, by name with <kbd className="key">/</kbd>:{' '}
        {others.map((c) => c.name.toLowerCase()).join(' · ')}.
      </p>
    </Modal>
  );
}
