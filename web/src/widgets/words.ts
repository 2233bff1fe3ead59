// Numbers in words, as the page writes them.

/** “one line”, “3 lines”. */
export const count = (n: number, one: string) => (n === 1 ? `one ${one}` : `${n} ${one}s`);

/** “Bram”, “Bram and Odile”, “Bram, Odile and Wren”. */
export const listed = (names: string[]) =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** The size of a file. */
export const sizeOf = (bytes: number) =>
  bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`;

/** With a capital letter in front. */
export const sentenceCase = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);
