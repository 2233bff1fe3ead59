#!/usr/bin/env python3
"""Makes the material of the accuracy table: speech with known times, and the reference recogniser's own times.

    material.py FOLDER

Needs Debian's flite (voices slt, rms, awb, kal16; it prints when each of its sounds ends) and the Python packages numpy,
pocketsphinx (the reference recogniser, BSD-2, with the acoustic model that ours reads too) and phonlab (BSD-3:
three short recordings of people, labelled by hand). Writes FOLDER/material.json and the sound files beside it.
"""
import importlib.util, json, pathlib, re, subprocess, sys, time, wave

import numpy as np
import pocketsphinx

TEXTS = """The old harbour crane lifted three crates of oranges before sunrise.
Fresh bread cools on the wooden shelf beside the bakery window.
My neighbour planted purple beans along the garden fence.
Five small boats drifted slowly past the quiet lighthouse.
She weighed the flour twice and folded in a cup of melted butter.
Heavy fog covered the bridge while the ferry waited for passengers.
Would you like a warm cinnamon roll or a slice of pumpkin pie?
The gardener measured every path with a piece of yellow string.
A jolly fisherman whistled as he mended his torn nets.
Please check the oven, because the almond cakes are nearly ready.
Tall sunflowers leaned over the wall and watched the busy street.
Both brothers threw smooth pebbles into the shallow water.
The mayor asked thirty children to paint the harbour wall.
Mushrooms and moss grow thick behind the empty greenhouse.
We should choose a cheaper engine for the rusty tugboat.
His voice shook when the judge opened the third envelope.
Zoe found a tiny lizard asleep under the watering can.
Rain hammered the tin roof, and nobody heard the kettle boil.
The baker's daughter usually delivers rye loaves on Thursday.
Enjoy the view of the valley from the top of the crooked tower.
Pack the blue vase in paper and push the box toward the van.
Every evening a curious fox visits the vegetable beds.
Our captain bought a cheap telescope at the village market.
Sugar, ginger and orange peel make the kitchen smell wonderful.""".split("\n")
VOICES = ["slt", "rms", "awb", "kal16"]
# Voices of other sizes: pitch and formants so many times as high, the pace as it was. For a high one the synthesiser speaks
# slower first, and the file then says that its samples come so much faster.
SIZES = {"small": ("slt", 1.18), "giant": ("rms", 0.85)}
# Voices that whisper, and recordings that were cut off at full scale by so many times.
WHISPERED = ["slt", "rms"]
CUT_OFF = {"cut off by 6 dB": ("rms", 2), "cut off by 12 dB": ("slt", 4)}
# Voices that hold their sounds so many times as long and swing in pitch: 5.5 times a second by a semitone either way, as
# singers do (Sundberg 1987: 5 to 7 times, half a semitone to one; from memory).
SUNG, HELD, SWING, BY = ["slt", "rms"], 1.8, 5.5, 2 ** (1 / 12) - 1
NAMES = {"ax": "AH", "axr": "ER", "pau": "SIL"}
HAND = {"two_plus_two": "two plus two", "three_plus_five": "three plus five",
        "im_twelve": "I'm twelve, what're you talking about"}


def name(phone):
    return NAMES.get(phone, phone.upper())


def faster(file, size):
    """Says that the samples of a file come so many times as fast."""
    with wave.open(str(file)) as w:
        params, data = w.getparams(), w.readframes(w.getnframes())
    with wave.open(str(file), "wb") as w:
        w.setparams(params._replace(framerate=round(params.framerate * size)))
        w.writeframes(data)


def samples(file):
    with wave.open(str(file)) as w:
        return w.getparams(), np.frombuffer(w.readframes(w.getnframes()), dtype="<i2") / 32768


def write(file, params, wanted):
    with wave.open(str(file), "wb") as w:
        w.setparams(params)
        w.writeframes((np.clip(wanted, -1, 1) * 32767).astype("<i2").tobytes())


def whispered(params, own):
    """Noise in place of the voice: at each moment white noise with the envelope of the spectrum (cepstrum up to 1.5 ms)."""
    length, hop, kept = 512, 128, int(0.0015 * params.framerate)
    window, random = np.hanning(length), np.random.default_rng(1)
    padded = np.concatenate([np.zeros(length // 2), own, np.zeros(length)])
    noise = random.standard_normal(len(padded))
    out, weight = np.zeros(len(padded)), np.zeros(len(padded))
    for at in range(0, len(own), hop):
        cepstrum = np.fft.irfft(np.log(np.abs(np.fft.rfft(padded[at:at + length] * window)) + 1e-6))
        cepstrum[kept:-kept] = 0
        envelope = np.exp(np.fft.rfft(cepstrum).real)
        shaped = np.fft.irfft(np.fft.rfft(noise[at:at + length] * window) * envelope)
        out[at:at + length] += shaped * window
        weight[at:at + length] += window ** 2
    out = (out / np.maximum(weight, 1e-3))[length // 2:length // 2 + len(own)]
    return 0.9 * out / np.abs(out).max()


def swung(params, own):
    """With vibrato: read faster and slower in turn, which moves no sound by more than 2 ms."""
    time = np.arange(len(own)) / params.framerate
    there = time + BY / (2 * np.pi * SWING) * np.sin(2 * np.pi * SWING * time)
    return np.interp(there, time, own)


def otherwise(folder, items):
    """The same sentences whispered and shouted into too little room."""
    ways = [(f"whispered ({v})", v, lambda p, x: whispered(p, x)) for v in WHISPERED]
    ways += [(called, v, lambda p, x, by=by: by * x / np.abs(x).max()) for called, (v, by) in CUT_OFF.items()]
    for number, (called, voice, way) in enumerate(ways):
        for item in [i for i in items if i["set"] == f"flite {voice}"]:
            file = f"way{number}_{item['file']}"
            params, own = samples(folder / item["file"])
            write(folder / file, params, way(params, own))
            yield {**item, "set": called, "file": file}


def synthesised(folder):
    usual = [(f"flite {voice}", voice, 1.0, 1.0) for voice in VOICES]
    others = [(f"{name} ({voice} x {size})", voice, size, 1.0) for name, (voice, size) in SIZES.items()]
    others += [(f"sung ({voice})", voice, 1.0, HELD) for voice in SUNG]
    for called, voice, size, held in usual + others:
        for i, text in enumerate(TEXTS):
            file = folder / f"{called.split()[0]}_{voice}_{i:02}.wav"
            out = subprocess.run(["flite", "-voice", voice, "--setf", f"duration_stretch={size * held}", "-psdur",
                                  "-t", text, "-o", file],
                                 capture_output=True, text=True, check=True).stdout.split()
            if size != 1:
                faster(file, size)
            if held != 1:
                params, own = samples(file)
                write(file, params, swung(params, own))
            start, sounds = 0.0, []
            for phone, end in (pair.split(":") for pair in out if ":" in pair):
                sounds.append([name(phone), start, float(end) / size])
                start = float(end) / size
            yield {"set": called, "file": file.name, "text": text, "sounds": sounds}


def tier(text, wanted):
    """Intervals of the first tier of a long or short TextGrid whose name is one of `wanted`."""
    for part in re.split(r'"IntervalTier"', text)[1:]:
        called = re.search(r'"([^"]*)"', part).group(1)
        if called.lower() in wanted:
            body = part[part.index(called) + len(called) + 1:]
            body = re.sub(r"intervals:? ?\[?\d*\]?:?|size = \d+|[a-z]+ ?= ", " ", body)
            return [(float(a), float(b), c) for a, b, c in re.findall(r'([\d.]+)\s+([\d.]+)\s+"([^"]*)"', body)]
    return []


def hand_labelled(folder):
    # Its files only; the package itself wants much that is not needed here.
    data = pathlib.Path(importlib.util.find_spec("phonlab").submodule_search_locations[0]) / "data" / "example_audio"
    for stem, text in HAND.items():
        labels = (data / f"{stem}.TextGrid").read_bytes()
        labels = labels.decode("utf-16" if labels[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8")
        phones = tier(labels, {"phone", "phones", "segment", "segments"})
        strip = lambda p: re.sub(r"\d", "", p).strip().upper()
        sounds = [["SIL" if strip(p) in ("", "SP", "SIL") else strip(p), a, b] for a, b, p in phones]
        (folder / f"{stem}.wav").write_bytes((data / f"{stem}.wav").read_bytes())
        yield {"set": "people, labelled by hand", "file": f"{stem}.wav", "text": text, "sounds": sounds}


def reference(folder, item):
    """Sounds as the reference recogniser times them, and the seconds it took; none where it fails."""
    with wave.open(str(folder / item["file"])) as w:
        if (w.getframerate(), w.getnchannels(), w.getsampwidth()) != (16000, 1, 2):
            return None
        data = w.readframes(w.getnframes())
    text = re.sub(r"[^a-z' ]", " ", item["text"].lower().replace("harbour", "harbor").replace("neighbour", "neighbor"))
    started = time.process_time()
    try:
        decoder = pocketsphinx.Decoder(lm=None, loglevel="FATAL")
        loaded = time.process_time()
        decoder.set_align_text(" ".join(text.split()))
        for _ in range(2):
            decoder.start_utt()
            decoder.process_raw(data, full_utt=True)
            decoder.end_utt()
            if decoder.get_alignment() is None:
                decoder.set_alignment()
        sounds = [[p.name, p.start / 100, (p.start + p.duration) / 100]
                  for word in decoder.get_alignment() for p in word]
    except Exception as error:  # the recogniser raises RuntimeError of several kinds
        print(f"{item['file']}: the reference recogniser failed: {error}", file=sys.stderr)
        return None
    if not sounds:
        return None
    return {"sounds": sounds, "seconds": time.process_time() - loaded, "loading": loaded - started}


def words(folder, item, decoder):
    """Words as the reference recogniser hears them with the language model of its package, and the seconds it took."""
    with wave.open(str(folder / item["file"])) as w:
        data = w.readframes(w.getnframes())
    started = time.process_time()
    decoder.start_utt()
    decoder.process_raw(data, full_utt=True)
    decoder.end_utt()
    heard = decoder.hyp()
    # Ways to say a word are told apart by a number behind it.
    text = re.sub(r"\(\d+\)", "", heard.hypstr if heard else "")
    return {"text": text, "seconds": time.process_time() - started}


folder = pathlib.Path(sys.argv[1])
folder.mkdir(parents=True, exist_ok=True)
items = [*synthesised(folder), *hand_labelled(folder)]
items += [*otherwise(folder, items)]
for item in items:
    item["reference"] = reference(folder, item)
decoder = pocketsphinx.Decoder(loglevel="FATAL")
for item in items:
    if item["set"].startswith("flite"):
        item["heard"] = words(folder, item, decoder)
(folder / "material.json").write_text(json.dumps({"items": items}))
print(f"{len(items)} recordings, {sum(i['reference'] is not None for i in items)} timed by the reference recogniser")
