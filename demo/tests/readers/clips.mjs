// Plays a file's clips with three.js's own mixer, one after the other in one scene, and says what stands then.
//
// Arguments: a GLB. Standard input: JSON, [{"clip": name, "time": seconds}]. Standard output: JSON, for each
// {"weights": {mesh: {shape: weight}}, "turns": {node: [x, y, z, w]}, "places": {node: [x, y, z]}, "sizes": {node: [x, y, z]},
// "worlds": {names from the top on with slashes between: sixteen numbers, column by column}}.
import { readFileSync } from 'node:fs';

globalThis.self = globalThis;
// Pictures are of no interest here; the loader only wants to be told that there are none.
globalThis.createImageBitmap = () => Promise.resolve({ width: 1, height: 1, close() {} });
const modules = '../../../web/node_modules/three/';
const { AnimationMixer } = await import(`${modules}build/three.module.js`);
const { GLTFLoader } = await import(`${modules}examples/jsm/loaders/GLTFLoader.js`);

const bytes = readFileSync(process.argv[2]);
const data = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
const asked = JSON.parse(readFileSync(0, 'utf8'));
const silent = console.error;
console.error = () => {};
const gltf = await new GLTFLoader().parseAsync(data, '');
console.error = silent;
const pathOf = (o) => {
  const names = [];
  for (let at = o; at && at !== gltf.scene; at = at.parent) names.unshift(at.userData.name ?? at.name);
  return names.join('/');
};
const mixer = new AnimationMixer(gltf.scene);
let playing = null;
const said = asked.map(({ clip, time }) => {
  const wanted = gltf.animations.find((a) => a.name === clip);
  if (playing?.getClip() !== wanted) {
    // As a player goes from one clip to the next.
    playing?.stop();
    playing = mixer.clipAction(wanted);
    playing.play();
  }
  mixer.setTime(Math.min(time, wanted.duration - 1e-6));
  const out = { weights: {}, turns: {}, places: {}, sizes: {}, worlds: {} };
  gltf.scene.updateMatrixWorld(true);
  gltf.scene.traverse((o) => {
    const name = o.userData.name ?? o.name;
    out.turns[name] = o.quaternion.toArray();
    out.places[name] = o.position.toArray();
    out.sizes[name] = o.scale.toArray();
    out.worlds[pathOf(o)] = o.matrixWorld.toArray();
    if (o.morphTargetDictionary) {
      const own = (out.weights[name] ??= {});
      for (const [shape, k] of Object.entries(o.morphTargetDictionary)) own[shape] = o.morphTargetInfluences[k];
    }
  });
  return out;
});
console.log(JSON.stringify(said));
