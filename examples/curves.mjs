// How far the jaw is open, frame by frame, while the curves are worked out:  node curves.mjs line.wav "What is said."
import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';

const server = process.env.JAMLIPS ?? 'http://127.0.0.1:7420';
const token = process.env.JAMLIPS_TOKEN;
const [path, text = ''] = process.argv.slice(2);
const form = new FormData();
form.append('recording', new Blob([await readFile(path)]), basename(path));
form.append('text', text);
const answer = await fetch(`${server}/api/v1/curves`, {
  method: 'POST',
  body: form,
  headers: { accept: 'text/event-stream', ...(token && { authorization: `Bearer ${token}` }) },
});
if (!answer.ok) {
  console.error(await answer.text()); // a problem document: what is wrong, and what to do
  process.exit(1);
}
let jaw = -1;
let rest = '';
for await (const piece of answer.body.pipeThrough(new TextDecoderStream())) {
  const events = (rest + piece).split('\n\n');
  rest = events.pop();
  for (const event of events) {
    const [, name, data] = /^event: (.*)\ndata: (.*)$/m.exec(event) ?? [];
    const value = data && JSON.parse(data);
    if (name === 'line') jaw = value.curves.findIndex((c) => c.name === 'jaw_open');
    if (name === 'frame') console.log(value.frame, value.values[jaw]);
    if (name === 'problem') throw new Error(value.detail);
  }
}
