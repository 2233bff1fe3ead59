// The one alphabet that sounds are written in: IPA or ARPAbet, as the user chose.

import { type LineView, ipaOf, phones } from '../api/client';
import { useSettings } from '../settings';

/** A sound's sign; one that English lacks has only that of the phonetic alphabet. */
export const written = (sound: { phone: string; symbol?: string | null }, ipa: boolean) =>
  sound.symbol ?? (ipa ? ipaOf(sound.phone) : sound.phone);

/** Whether sounds are written in IPA: as the user chose, and always in another language, which ARPAbet does not reach. */
export const useIpa = (line: LineView) => useSettings((s) => s.ipa) || line.document.language != null;

/** The alphabet in use: a sound's sign, and a sentence of the server's (“P of “pier””) with its signs. */
export function useAlphabet(line: LineView) {
  const ipa = useIpa(line);
  return {
    ipa,
    of: (sound: { phone: string; symbol?: string | null }) => written(sound, ipa),
    sentence: (text: string) =>
      ipa
        ? text.replace(/\b([A-Z]{1,3})(?= of “)/g, (name) =>
            phones().some(([phone]) => phone === name) ? ipaOf(name) : name,
          )
        : text,
  };
}
