import { Menu, Portal } from '@mantine/core';
import { useEffect } from 'react';
import css from './MenuAt.module.css';

/** Where the right button was pressed, or where the menu key puts it. */
export interface Place {
  x: number;
  y: number;
}

export function placeOf(event: React.MouseEvent): Place {
  event.preventDefault();
  return { x: event.clientX, y: event.clientY };
}

/** A menu at the place where it was asked for. Nothing of it is in the page before, so that what it lies on costs
 * nothing while it is drawn over and over. */
export function MenuAt({
  at,
  onClose,
  testId,
  children,
}: {
  at: Place;
  onClose: () => void;
  testId: string;
  children: React.ReactNode;
}) {
  useEffect(() => {
    const before = document.activeElement;
    return () => {
      // Back to where the hands were, unless an action went elsewhere.
      if (before instanceof HTMLElement && document.activeElement === document.body) before.focus();
    };
  }, []);
  return (
    <Portal>
      <Menu opened onClose={onClose} width={240} position="bottom-start">
        <Menu.Target>
          <i className={css.place} style={{ left: at.x, top: at.y }} />
        </Menu.Target>
        <Menu.Dropdown data-testid={testId}>{children}</Menu.Dropdown>
      </Menu>
    </Portal>
  );
}
