// Short words at the edge of the page: what did not work, and what was done that can be taken back.

import { notifications } from '@mantine/notifications';
import { sentence } from '../api/client';
import { Press } from './Press';

/** The refusal that is shown. */
const REFUSAL = 'refusal';

/** A refusal is no longer true: what it was about works now. */
export const forgetRefusal = () => notifications.hide(REFUSAL);

interface Way {
  does: string;
  run: () => void;
}

const withWay = (message: string, way: Way | undefined, testId: string, done: () => void) =>
  way ? (
    <div>
      {message}
      <div style={{ marginTop: 8 }}>
        <Press
          testId={testId}
          onClick={() => {
            done();
            way.run();
          }}
        >
          {way.does}
        </Press>
      </div>
    </div>
  ) : (
    message
  );

/** Shows a refusal as what it is: a sentence, and what can be done about it. */
export function tell(error: unknown, way?: Way, title = 'That did not work') {
  notifications.hide(REFUSAL);
  notifications.show({
    id: REFUSAL,
    color: 'raspberry',
    title,
    message: withWay(sentence(error), way, 'anyway', forgetRefusal),
    autoClose: way ? false : undefined,
    closeButtonProps: { 'aria-label': 'Close' },
  });
}

/** Milliseconds that a way back is offered: long enough to see what came of it. */
const OFFERED = 20_000;

/** What was done last and can be taken back: only the last step can, so there is one such note at a time. */
const BACK = 'back';

/** Says what was done, and how it is taken back. */
export function say(message: string, way?: Way) {
  const id = way ? BACK : undefined;
  if (id) notifications.hide(id);
  notifications.show({
    id,
    color: 'raspberry',
    message: withWay(message, way, 'take-back', () => notifications.hide(BACK)),
    autoClose: way ? OFFERED : undefined,
    closeButtonProps: { 'aria-label': 'Close' },
  });
}
