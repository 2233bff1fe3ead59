// A character's files as they are brought in.

/** What may be chosen: the model itself, what it names, or all in one. */
export const MODEL_FILES = '.glb,.gltf,.zip,.bin,.png,.jpg,.jpeg,.webp';

const MAIN = /\.(glb|gltf|zip)$/i;

/** The name of the model's own file, until the character is given another. */
export function characterName(files: File[]): string {
  const main = files.find((f) => MAIN.test(f.name)) ?? files[0];
  return (main?.name ?? 'Character').replace(MAIN, '').replace(/[_-]+/g, ' ').trim() || 'Character';
}

/** Whether something that was dropped is a model and not a recording. */
export const hasModel = (files: File[]) => files.some((f) => MAIN.test(f.name));
