import { useEffect, useRef } from 'react';

/** Does something with every picture of the browser, for what changes too often for React. */
export function useFrame(work: () => void, when = true) {
  const newest = useRef(work);
  useEffect(() => {
    newest.current = work;
  });
  useEffect(() => {
    if (!when) return;
    let handle = 0;
    const tick = () => {
      newest.current();
      handle = requestAnimationFrame(tick);
    };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
  }, [when]);
}
