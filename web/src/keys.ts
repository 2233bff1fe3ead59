// Every action by name, grouped by what one does, with the keys it has unless somebody chose others. What it does is in
// `commands.ts`; buttons, the list of keys and the search read from here.

import type { Place } from './state';

export type Group =
  | 'Play'
  | 'Go about'
  | 'Choose and change'
  | 'Words and sounds'
  | 'Curves and keys'
  | 'Layers'
  | 'Look at the face'
  | 'Benches'
  | 'Places'
  | 'The page';

export interface Entry {
  id: string;
  group: Group;
  name: string;
  /** Keys with their modifiers, `Mod` being Ctrl or Cmd. */
  keys: string[];
  /** Places it acts in; everywhere without. */
  at?: Place[];
}

const entry =
  (group: Group, at: Place[] | undefined) =>
  <const I extends string>(id: I, name: string, ...keys: string[]) => ({ id, group, name, keys, at });

const SCORE: Place[] = ['score'];
const SCORE_SCENE: Place[] = ['score', 'scene'];
const play = entry('Play', SCORE);
const playhead = entry('Play', SCORE_SCENE);
const about = entry('Go about', SCORE);
const choose = entry('Choose and change', SCORE);
const speech = entry('Words and sounds', SCORE);
const curve = entry('Curves and keys', SCORE);
const layer = entry('Layers', SCORE);
const look = entry('Look at the face', ['score', 'scene', 'cast', 'lines']);
const bench = entry('Benches', SCORE);
const places = entry('Places', undefined);
const page = entry('The page', undefined);

export const TABLE = [
  entry('Play', ['lines', 'score', 'scene'])('play', 'Play or stop', 'Space'),
  entry('Play', ['cast'])('walk', 'Test walk, or stop it', 'Space', 'T'),
  playhead('frameBack', 'One frame back', ','),
  playhead('frameOn', 'One frame on', '.'),
  play('loop', 'Loop the range or what is chosen, or stop looping', 'L'),
  play('loopIn', 'Loop from the playhead on', 'I'),
  play('loopOut', 'Loop up to the playhead', 'O'),
  play('loopAround', 'Loop a second around the playhead', 'Shift+L'),
  play('speed', 'Full speed, half, quarter; the pitch stays', 'Shift+S'),
  playhead('mute', 'Sound on or off', 'Shift+U'),
  playhead('start', 'To the start of the line or the scene', 'Home'),
  playhead('end', 'To the end of the line or the scene', 'End'),

  about('wordBefore', 'Word before', 'ArrowLeft'),
  about('wordNext', 'Next word', 'ArrowRight'),
  about('doubtful', 'Next doubtful sound', 'D'),
  about('thingBefore', 'Key or span before', '<'),
  about('thingNext', 'Next key or span', '>'),
  entry('Go about', SCORE_SCENE)('closer', 'Closer', '+'),
  entry('Go about', SCORE_SCENE)('wider', 'Wider', '-'),
  entry('Go about', SCORE_SCENE)('whole', 'The whole line or scene', '0'),
  about('fitChosen', 'What is chosen, as wide as the staves', 'F'),
  entry('Go about', undefined)('lineBefore', 'Line before', 'PageUp'),
  entry('Go about', undefined)('lineNext', 'Next line', 'PageDown'),
  entry('Go about', ['lines'])('openLine', 'Open the chosen line', 'Enter'),

  page('undo', 'Undo', 'Mod+Z', 'Z'),
  page('redo', 'Redo', 'Shift+Mod+Z', 'Mod+Y', 'Y'),
  choose('all', 'Choose all of the kind that is chosen', 'Mod+A'),
  entry('Choose and change', SCORE_SCENE)('none', 'Choose nothing', 'Escape'),
  choose('copy', 'Copy what is chosen', 'Mod+C', 'C'),
  choose('cut', 'Cut what is chosen', 'Mod+X'),
  choose('paste', 'Paste at the playhead', 'Mod+V', 'V'),
  entry('Choose and change', ['score', 'scene', 'lines'])(
    'delete',
    'Delete what is chosen',
    'Delete',
    'Backspace',
  ),
  entry('Choose and change', SCORE_SCENE)('earlier', 'What is chosen a frame earlier', 'Mod+ArrowLeft', '{'),
  entry('Choose and change', SCORE_SCENE)('later', 'What is chosen a frame later', 'Mod+ArrowRight', '}'),
  choose('earlierFine', 'What is chosen 5 ms earlier', 'Shift+Mod+ArrowLeft', '['),
  choose('laterFine', 'What is chosen 5 ms later', 'Shift+Mod+ArrowRight', ']'),
  choose('higher', 'Keys higher, mood stronger', 'ArrowUp'),
  choose('lower', 'Keys lower, mood weaker', 'ArrowDown'),
  choose('snap', 'Keys land on frames, or anywhere', 'G'),

  speech('split', 'Split the chosen sound at the playhead', 'S'),
  speech('join', 'Join the chosen sound with the next', 'J'),
  speech('pin', 'Pin the chosen words, or let them move again', 'K'),
  speech('retype', 'Retype the chosen word', 'E'),
  speech('ipa', 'Sounds in IPA or ARPAbet', 'Shift+I'),
  speech('timeAgain', 'Time the line again, between pinned words'),

  curve('openStave', 'Open or close the curves', 'Q'),
  curve('keyHere', 'A key on the chosen curves at the playhead', 'T'),
  curve('keyRest', 'A key at rest on the chosen curves'),
  curve('keyAll', 'A key on every curve at the playhead', 'Shift+T'),
  curve('allKeys', 'All keys of the chosen curves', 'X'),
  curve('curveNext', 'Next curve', 'Shift+ArrowDown'),
  curve('curveBefore', 'Curve before', 'Shift+ArrowUp'),
  curve('mirror', 'Mirror keys to the other side of the face', 'M'),
  curve('bake', 'Bake the chosen curves to keys', 'B'),
  curve('unbake', 'Un-bake: the automatic curves come back', 'U'),
  curve('automatic', 'Back to automatic'),

  layer('blink', 'A blink at the playhead', 'Shift+B'),
  layer('point', 'Point on the stage where they are to look', 'Shift+G'),

  look('front', 'The face from the front', 'Shift+F'),
  look('right', 'The face from its right, three quarters', 'Shift+R'),
  look('left', 'The face from its left, three quarters', 'Shift+Q'),
  look('side', 'The face from the side', 'Shift+P'),
  entry('Look at the face', ['score', 'cast', 'lines'])('mouth', 'The mouth, near', 'Shift+M'),
  entry('Look at the face', ['cast'])('rest', 'The character at rest', 'R'),
  look('frame', 'The face in the picture', 'R', 'Shift+E'),
  entry('Look at the face', ['score'])('two', 'A second view from the side, or one', 'Shift+V'),
  look('light', 'Light from the side, or from the front', 'Shift+K'),
  entry('Look at the face', ['score', 'cast', 'lines'])(
    'lock',
    'The camera keeps to the head, or stands',
    'Shift+H',
  ),
  entry('Look at the face', ['score'])('closeUp', 'The mouth’s close-up: small, large, off', 'Shift+C'),
  entry('Look at the face', ['score'])('burnIn', 'The frame number in the picture, or not', 'Shift+N'),
  entry('Look at the face', ['score'])('full', 'The stage over the whole page, or as it was', 'Shift+W'),
  entry('Look at the face', ['score'])('compare', 'Compare: side by side, snapshot, line', 'Shift+O'),

  bench('benchLine', 'Line: text, takes, sound'),
  bench('benchWord', 'Word: what is chosen of the speech'),
  bench('benchDiction', 'Diction: how the line is articulated', 'Shift+D'),
  bench('benchMood', 'Mood', '6'),
  bench('benchEyes', 'Eyes', '7'),
  bench('benchHead', 'Head', '8'),
  bench('benchHand', 'By hand: passes and poses', '9'),
  bench('benchCurve', 'Curve: what is chosen of the curves'),
  bench('benchWhy', 'Why the face is as it is here', 'H'),
  bench('benchCheck', 'Check: what is to be mended', '5'),
  bench('benchSteps', 'Steps and snapshots', 'P'),

  places('goLines', 'Go to Lines', '1'),
  places('goScore', 'Go to the Score', '2'),
  places('goScene', 'Go to the Scene', 'Shift+A'),
  places('goCast', 'Go to the Cast', '3'),
  places('goDeliver', 'Go to Deliver', '4'),

  entry('The page', ['lines'])('addLine', 'Add a line', 'A'),
  entry('The page', ['lines', 'score'])('wordList', 'Word list: how words are said', 'W'),
  page('night', 'Night or day', 'N'),
  page('guide', 'A first line, step by step'),
  page('keyMap', 'Every action with its key', '?'),
  page('find', 'Find a command', '/'),
] satisfies readonly Entry[];

export type CommandId = (typeof TABLE)[number]['id'];

export const entryOf = (id: CommandId): Entry => TABLE.find((e) => e.id === id) as Entry;

const SIGNS: Record<string, string> = {
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  PageUp: 'PgUp',
  PageDown: 'PgDn',
  Delete: 'Del',
  Escape: 'Esc',
};

const onMac = /Mac|iPhone|iPad/.test(navigator.userAgent);

/** A key as it is shown: “Ctrl Z”, “⇧ B”. */
export const shownKey = (key: string) =>
  key
    .split(/\+(?=.)/)
    .map((part) => (part === 'Mod' ? (onMac ? '⌘' : 'Ctrl') : part === 'Shift' ? '⇧' : (SIGNS[part] ?? part)))
    .join(' ');

/** A key that was pressed, in the writing of the table; none of a modifier alone. */
export function pressedKey(event: KeyboardEvent): string | null {
  if (/^(Control|Shift|Alt|AltGraph|Meta|Dead|CapsLock)$/.test(event.key)) return null;
  const named = event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const letter = /^[A-Z]$/.test(named) || event.key.length > 1;
  // Of signs the Shift that makes them is part of the sign.
  return [event.shiftKey && letter && 'Shift', (event.ctrlKey || event.metaKey) && 'Mod', named]
    .filter(Boolean)
    .join('+');
}
