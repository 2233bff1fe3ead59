import { Popover, TextInput } from '@mantine/core';
import { IconBroadcast } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type SendOrder, type SendState, api, queries } from '../api/client';
import { remember, useSettings } from '../settings';
import { Pick } from '../widgets/Pick';
import { Press } from '../widgets/Press';
import { tell } from '../widgets/tell';
import { count } from '../widgets/words';
import css from './Transport.module.css';

const KEY = ['sending'];
/** Milliseconds between two looks at what arrives, while it is looked at and while it is not. */
const [OFTEN, SELDOM] = [700, 5000];
/** Faces a second, and what each is for. */
const RATES = [
  ['24', '24, film'],
  ['30', '30'],
  ['60', '60, most screens'],
  ['100', '100, the curves themselves'],
] as const;

/** Sends the face that plays to another program. */
export function SendFace() {
  const [open, setOpen] = useState(false);
  const sending = useQuery({
    queryKey: KEY,
    queryFn: api.sending,
    refetchInterval: open ? OFTEN : SELDOM,
  });
  const state = sending.data;
  const on = state?.order != null;
  return (
    <Popover position="top" width={344} opened={open} onChange={setOpen} trapFocus>
      <Popover.Target>
        <Press
          kind="quiet"
          pressed={on}
          testId="send-face"
          hint="Send the face to another program while it plays"
          onClick={() => setOpen(!open)}
        >
          <IconBroadcast size={17} />
          <span className={css.sendWord}>{on ? 'Sending' : 'Send'}</span>
        </Press>
      </Popover.Target>
      <Popover.Dropdown>
        <Form state={state} />
      </Popover.Dropdown>
    </Popover>
  );
}

function Form({ state }: { state: SendState | undefined }) {
  const usual = useSettings((s) => s.sendTo);
  const [own, setOwn] = useState<SendOrder | null>(null);
  const order = own ?? state?.order ?? usual;
  const on = state?.order != null;
  const change = (by: Partial<SendOrder>) => setOwn({ ...order, ...by });
  const differs = on && own !== null && JSON.stringify(own) !== JSON.stringify(state.order);
  const called = order.to.startsWith('ws:');
  const run = async (work: Promise<SendState>) => {
    try {
      queries.setQueryData(KEY, await work);
      setOwn(null);
    } catch (error) {
      tell(error);
    }
  };
  const start = () => {
    remember({ sendTo: order });
    void run(api.send(order));
  };
  return (
    <form
      className={css.sendForm}
      onSubmit={(event) => {
        event.preventDefault();
        start();
      }}
    >
      <p>
        What plays or is looked through here moves a face elsewhere: OSC to an address and port, or a
        WebSocket. Each face carries the moment at which it is to be seen.
      </p>
      <TextInput
        label="To"
        data-testid="send-to"
        placeholder="127.0.0.1:7422 or ws://127.0.0.1:9000/face"
        value={order.to}
        onChange={(event) => change({ to: event.currentTarget.value })}
      />
      <div className={css.sendHow}>
        <Pick
          labelled
          label="Values"
          width={208}
          disabled={called}
          value={order.addressed ?? 'packed'}
          options={[
            ['packed', 'all in one message'],
            ['named', 'an address each'],
          ]}
          onChange={(addressed) => change({ addressed })}
        />
        <Pick
          labelled
          label="Faces a second"
          width={208}
          value={String(order.rate ?? 100)}
          options={RATES}
          onChange={(rate) => change({ rate: Number(rate) })}
        />
      </div>
      <div className={css.sendRow}>
        {(!on || differs) && (
          <Press kind="main" type="submit" testId="send-start" disabled={!order.to.trim()}>
            {on ? 'Send it like this' : 'Send'}
          </Press>
        )}
        {on && (
          <Press testId="send-stop" onClick={() => void run(api.sendNowhere())}>
            Stop sending
          </Press>
        )}
      </div>
      <p className={css.sendState} data-testid="send-state" data-problem={state?.problem ? 'yes' : undefined}>
        {told(state)}
      </p>
    </form>
  );
}

function told(state: SendState | undefined): string {
  const listens = state && state.listeners > 0 ? `${count(state.listeners, 'program')} listening here. ` : '';
  if (!state?.order) {
    return `${listens}To see what arrives, start “jamlips stand-in renderer” in a terminal.`;
  }
  if (state.problem) return `${listens}${state.problem}`;
  if (state.faces === 0) return `${listens}Nothing was sent yet: play the line, or click into it.`;
  return `${listens}${state.faces.toLocaleString('en')} faces sent.`;
}
