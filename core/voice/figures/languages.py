#!/usr/bin/env python3
"""Speech in other languages with known times, for the accuracy table and for the tests.

    languages.py FOLDER [--fixtures]

Needs Debian's festival with the voices festvox-italp16k, festvox-itapc16k (Italian, diphones of two speakers) and
festvox-ca-ona-hts (Catalan, statistical): they tell when each of their sounds ends. The words' sounds are written by
espeak-ng, another program with other rules, as they would be in use. Writes FOLDER/languages.json and the sound files
beside it. All sentences are invented; those of the fixtures are others than those the limit of the marks was read off.
"""
import json, pathlib, subprocess, sys

TABLE = {
    "it": """La pioggia batte sul tetto tutta la notte.
Il vecchio pescatore ripara le reti rosse.
Gli amici aspettano la nave nella nebbia.
Nessuno ha chiuso il ponte prima di sera.
Il giudice apre piano la terza lettera.
Ho trovato una chiave sotto la porta.
Mia sorella canta una bella canzone.
Ogni sera una volpe visita il giardino.
La vecchia campana suona nella valle.
Dove avete lasciato la lampada gialla?
Quattro barche passano vicino al faro.
La strada scende dolcemente verso il mare.""",
    "ca": """El vaixell espera prop del port vell.
Ningú no escolta la pluja a la teulada.
La meva germana canta una cançó.
Els pescadors arreglen les xarxes noves.
Demà obrirem la porta del jardí.
Aquesta nit fa molt de fred.
El gos corre pel carrer fosc.
He trobat una clau sota la taula.
La boira baixa cap a la vall.
On heu deixat el llum groc?
El jutge llegeix la tercera carta.
Quatre barques passen vora el far.""",
}
FIXTURES = {
    "it": """Domani porteremo il pane fresco alla nonna.
Il gatto grigio dorme sopra la vecchia sedia.
Chi ha rotto la finestra della cucina?
Il fornaio accende il forno prima dell'alba.""",
    "ca": """El forner obre la botiga abans de l'alba.
Les campanes toquen quan arriba la barca.
La nena guarda tres pedres blanques.
Avui farem sopa de peix per sopar.""",
}
VOICES = {"lp": ("lp_diphone", "it"), "pc": ("pc_diphone", "it"), "ona": ("upc_ca_ona_hts", "ca")}
# What the voices call their sounds, as the phonetic alphabet does, and the nearest English ones: consonants by place and
# manner, vowels by rounding, height and backness (IPA chart), as core/voice/src/notation.rs has them.
OURS = {
    "a": ["AA"], "e": ["EH"], "E": ["EH"], "i": ["IY"], "o": ["AO"], "O": ["AO"], "u": ["UW"], "ax": ["AH"], "uw": ["W"],
    "j": ["Y"], "y": ["Y"], "w": ["W"], "b": ["B"], "d": ["D"], "f": ["F"], "g": ["G"], "k": ["K"], "l": ["L"], "m": ["M"],
    "n": ["N"], "p": ["P"], "s": ["S"], "t": ["T"], "v": ["V"], "z": ["Z"], "S": ["SH"], "Z": ["ZH"], "J": ["N"],
    "L": ["Y"], "tS": ["CH"], "dZ": ["JH"], "ts": ["T", "S"], "dz": ["D", "Z"], "r": ["R"], "#": ["SIL"], "pau": ["SIL"],
    "N": ["NG"], "ng": ["NG"], "rr": ["R"], "x": ["HH"],
}
TAP = {"ca": {"r": ["D"]}}  # Catalan tells the tap from the trill.


def sounds_of(text, language):
    """The text with its words' sounds between slashes behind them."""
    said = subprocess.run(["espeak-ng", "-q", "--ipa", "-v", language, "--stdin"], input=text + "\n",
                          capture_output=True, text=True, check=True).stdout.split()
    words = text.split()
    assert len(said) == len(words), (text, said)
    bare = [w.rstrip(".,?!") for w in words]
    return " ".join(f"{b} /{s}/{w[len(b):]}" for w, b, s in zip(words, bare, said))


def segments(lab, language):
    out, start = [], 0.0
    for line in lab.read_text(encoding="latin-1").splitlines():
        parts = line.split()
        if len(parts) != 3:
            continue
        end, called = float(parts[0]), parts[2].rstrip("1")
        names = TAP.get(language, {}).get(called) or OURS[called]
        for k, name in enumerate(names):
            to = start + (end - start) * (k + 1) / len(names)
            begins = out and {("T", "CH"), ("D", "JH")} & {(out[-1][0], name)}
            if out and (begins or out[-1][0] == name) and name not in ("AA", "EH", "IY", "AO", "UW", "AH"):
                out[-1] = [name, out[-1][1], to]
            else:
                out.append([name, start + (end - start) * k / len(names), to])
        start = end
    return [[n, round(a, 4), round(b, 4)] for n, a, b in out]


def made(folder, texts):
    for short, (voice, language) in VOICES.items():
        lines = texts[language].split("\n")
        # Two voices of one language say different ones of the fixtures.
        if texts is FIXTURES and language == "it":
            lines = lines[:2] if short == "lp" else lines[2:]
        script = [f"(voice_{voice})"]
        for i, text in enumerate(lines):
            stem = folder / f"{short}_{i:02}"
            script.append(f'(set! u (Utterance Text "{text}"))(utt.synth u)(utt.save.segs u "{stem}.lab")'
                          f'(utt.save.wave u "{stem}.wav" \'riff)')
        (folder / "say.scm").write_text("\n".join(script), encoding="latin-1")
        subprocess.run(["festival", "-b", folder / "say.scm"], check=True, capture_output=True)
        for i, text in enumerate(lines):
            yield {"set": f"{'Italian' if language == 'it' else 'Catalan'}, {short}", "language": language,
                   "file": f"{short}_{i:02}.wav", "text": sounds_of(text, language),
                   "sounds": segments(folder / f"{short}_{i:02}.lab", language)}
            (folder / f"{short}_{i:02}.lab").unlink()
        (folder / "say.scm").unlink()


if __name__ == "__main__":
    folder = pathlib.Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    items = [*made(folder, FIXTURES if "--fixtures" in sys.argv else TABLE)]
    (folder / "languages.json").write_text("[\n" + ",\n".join(json.dumps(i, ensure_ascii=False) for i in items) + "\n]\n")
    print(f"{len(items)} recordings")
