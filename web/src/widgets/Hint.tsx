import { Tooltip } from '@mantine/core';

/** Says what a thing is or does when it is pointed at or focused. */
export function Hint({ says, children }: { says: React.ReactNode; children: React.ReactElement }) {
  if (!says) return children;
  return (
    <Tooltip label={says} events={{ hover: true, focus: true, touch: false }}>
      {children}
    </Tooltip>
  );
}
