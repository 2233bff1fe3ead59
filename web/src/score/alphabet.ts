// The one alphabet that sounds are written in: IPA or ARPAbet, as the user chose.

import { ipaOf, phones } from '../api/client';
import { useSettings } from '../settings';

/** A sound's sign. */
export const written = (phone: string, ipa: boolean) => (ipa ? ipaOf(phone) : phone);

/** The alphabet in use: a sound's sign, and a sentence of the server's (“P of “pier””) with its signs. */
export function useAlphabet() {
  const ipa = useSettings((s) => s.ipa);
  return {
    ipa,
    of: (phone: string) => written(phone, ipa),
    sentence: (text: string) =>
      ipa
        ? text.replace(/\b([A-Z]{1,3})(?= of “)/g, (name) =>
            phones().some(([phone]) => phone === name) ? ipaOf(name) : name,
          )
        : text,
  };
}
