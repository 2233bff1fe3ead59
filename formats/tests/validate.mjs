// Prints what the glTF validator of the format's authors says of a file: errors, warnings, messages.
import { readFileSync } from 'node:fs';
import { validateBytes } from '../../web/node_modules/gltf-validator/index.js';

const { issues, info } = await validateBytes(new Uint8Array(readFileSync(process.argv[2])));
const { numErrors: errors, numWarnings: warnings, messages } = issues;
console.log(JSON.stringify({ errors, warnings, messages, animations: info.animationCount }));
