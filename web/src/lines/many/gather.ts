// What was dropped: files, folders, zips; each under its path, read only when it is wanted.

import type { Entry, FileEntry } from '@zip.js/zip.js';

/** A file that came, alone or in a zip. */
export interface Came {
  path: string;
  read: () => Promise<File>;
}

/** Files that are read whole before anything is brought in: texts, subtitles, tables. */
const READ_FIRST = /\.(txt|srt|vtt|csv|tsv)$/i;
/** What systems leave in folders. */
const HIDDEN = /(^|\/)(\.|__MACOSX\/|Thumbs\.db$|desktop\.ini$)/i;
const ZIP = /\.zip$/i;
/** One file that the application made itself. */
export const WHOLE = /\.jam\.zip$/i;
/** What a character's zip holds. */
const MODEL = /\.(glb|gltf)$/i;

const nameOf = (path: string) => path.split('/').pop() ?? path;

/** The path of a dropped file inside the folder that was dropped. */
function pathOf(file: File): string {
  const { relativePath, path } = file as File & { relativePath?: string; path?: string };
  return (relativePath || file.webkitRelativePath || path || file.name).replace(/^\.?\//, '');
}

async function entriesOf(zip: File): Promise<Came[]> {
  const { BlobReader, BlobWriter, ZipReader, configure } = await import('@zip.js/zip.js');
  configure({ useWebWorkers: false });
  let entries: Entry[];
  try {
    entries = await new ZipReader(new BlobReader(zip)).getEntries();
  } catch {
    throw new Error(`${zip.name} cannot be read as a zip; pack it again, or drop the files themselves.`);
  }
  return entries
    .filter((entry): entry is FileEntry => !entry.directory)
    .map((entry) => ({
      path: entry.filename,
      read: async () => {
        try {
          return new File([await entry.getData(new BlobWriter())], nameOf(entry.filename));
        } catch {
          throw new Error(`It cannot be unpacked from ${zip.name}; pack the zip again.`);
        }
      },
    }));
}

/** Everything that came, zips unpacked. */
export async function gather(files: File[]): Promise<Came[]> {
  const all = await Promise.all(
    files.map(async (file) =>
      ZIP.test(file.name) ? entriesOf(file) : [{ path: pathOf(file), read: () => Promise.resolve(file) }],
    ),
  );
  return all.flat().filter((came) => !HIDDEN.test(came.path));
}

export const isReadFirst = (came: Came) => READ_FIRST.test(came.path);

/** Whether a zip is a character and no recordings. */
export const holdsModel = (came: Came[]) => came.some((one) => MODEL.test(one.path));

/** Whether files are more than one recording: several, a zip, a folder, a table. */
export const areMany = (files: File[]) =>
  files.length > 1 || files.some((file) => ZIP.test(file.name) || READ_FIRST.test(file.name));
