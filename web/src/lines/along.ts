// A face that speaks along with the microphone: samples go to the server, faces come back.

import { performNothing, showPerformed, socketTo } from '../api/live';

/** Seconds of voice that are sent together. */
const TOGETHER = 0.02;
/** Milliseconds that a take's sounds are waited for. */
const PATIENCE = 4000;

interface Message {
  outputs?: number[];
  take?: number;
  problem?: string;
}

export class Along {
  private socket: WebSocket;
  private waiting: Float32Array[] = [];
  private count = 0;
  private told: ((take: number | null) => void) | null = null;
  private left = false;

  /** Speaks as the character of a line; what goes wrong is said once. */
  constructor(
    line: number,
    private readonly rate: number,
    private readonly onProblem: (says: string) => void,
  ) {
    this.socket = socketTo('/api/v1/live');
    this.socket.onopen = () => this.send({ rate, line, outputs: true, newest: true });
    this.socket.onmessage = (message: MessageEvent<string>) => this.hear(JSON.parse(message.data) as Message);
    this.socket.onclose = () => {
      this.answer(null);
      if (!this.left) this.stop('The face cannot follow the voice now; the take is recorded all the same.');
    };
  }

  private send(what: unknown) {
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(what));
  }

  private hear(message: Message) {
    // What is still under way when it ends would stay on the face.
    if (this.left) return;
    if (message.outputs) showPerformed(message.outputs);
    else if (message.take !== undefined) this.answer(message.take);
    else if (this.told) this.answer(null);
    else if (message.problem) this.stop(message.problem);
  }

  private answer(take: number | null) {
    this.told?.(take);
    this.told = null;
  }

  private stop(says: string) {
    performNothing();
    this.left = true;
    this.onProblem(says);
  }

  /** Takes what the microphone hears. */
  take(samples: Float32Array) {
    this.waiting.push(samples);
    this.count += samples.length;
    if (this.count >= TOGETHER * this.rate) this.flush();
  }

  private flush() {
    const all = new Float32Array(this.count);
    let at = 0;
    for (const block of this.waiting) {
      all.set(block, at);
      at += block.length;
    }
    this.waiting = [];
    this.count = 0;
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(all);
  }

  /** A take begins with what is heard next. */
  begin() {
    this.flush();
    this.send('begin');
  }

  /** It ends; the number under which its sounds are kept, if some were heard. */
  end(): Promise<number | null> {
    this.flush();
    if (this.socket.readyState !== WebSocket.OPEN) return Promise.resolve(null);
    return new Promise((resolve) => {
      this.told = resolve;
      window.setTimeout(() => this.answer(null), PATIENCE);
      this.send('end');
    });
  }

  close() {
    this.left = true;
    performNothing();
    this.socket.close();
  }
}
