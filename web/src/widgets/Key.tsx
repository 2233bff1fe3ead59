import { type CommandId, entryOf, shownKey } from '../keys';
import { useSettings } from '../settings';
import css from './Key.module.css';

/** The keys that a command has now. */
export function useKeys(id: CommandId): string[] {
  const own = useSettings((s) => s.keys[id]);
  const single = useSettings((s) => s.singleKeys);
  return (own ?? entryOf(id).keys).filter((key) => single || isSafe(key));
}

/** Whether a key does not stand in the way of typing or speaking: with Ctrl or Cmd, or no letter, digit or sign. */
export const isSafe = (key: string) =>
  /Mod\+/.test(key) || (key.replace('Shift+', '').length > 1 && key !== 'Space');

/** A key as a small cap. */
export function Key({ of }: { of: CommandId }) {
  const [first] = useKeys(of);
  return first ? <kbd className={css.key}>{shownKey(first)}</kbd> : null;
}

export function Cap({ children }: { children: React.ReactNode }) {
  return <kbd className={css.key}>{children}</kbd>;
}
