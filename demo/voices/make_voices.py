#!/usr/bin/env python3
"""Makes the demo's voices beside this file, once; the results are committed.

Every voice is synthesised with Debian's `flite` (voices awb, slt and kal16: CMU, BSD-style licence); nobody real speaks.
A child is the same voice played faster, which raises pitch and resonances alike; a whisper is the same voice with its phases scattered, a shout is raised and pressed, a sung line is
slowed to one pitch. Numbers given on the command line make these lines only. Needs numpy. The texts are in `../src/lines.rs`, in the same order.
"""
import pathlib, re, subprocess, sys, wave
import numpy as np

HERE = pathlib.Path(__file__).parent
source = (HERE / "../src/lines.rs").read_text()
TEXTS = [re.sub(r"\[.*?\]\s*", "", t) for t in re.findall(r'text: "(.*?)"', source)]
VOICES = {13: "slt", 14: "slt", 15: "kal16", 16: "slt", 17: "slt"}  # the others: awb
PLAIN = {"int_f0_target_mean": 118, "int_f0_target_stddev": 26, "duration_stretch": 1.05}
MANNER = {  # line: what is set otherwise
    3: {"int_f0_target_mean": 104, "duration_stretch": 1.25},
    6: {"int_f0_target_mean": 168, "int_f0_target_stddev": 44, "duration_stretch": 1.05, "gain": 5.0},
    7: {"int_f0_target_mean": 130, "int_f0_target_stddev": 1, "duration_stretch": 2.3},
    10: {"int_f0_target_mean": 98, "int_f0_target_stddev": 14, "duration_stretch": 1.35},
    11: {"duration_stretch": 1.2, "whisper": True},
    12: {"int_f0_target_mean": 132, "int_f0_target_stddev": 36},
    13: {"int_f0_target_mean": 205, "int_f0_target_stddev": 40},
    14: {"int_f0_target_mean": 185, "int_f0_target_stddev": 30},
    15: {"int_f0_target_mean": 72, "int_f0_target_stddev": 12, "duration_stretch": 1.2},
    16: {"int_f0_target_mean": 232, "int_f0_target_stddev": 52, "duration_stretch": 1.28, "smaller": 1.05},
    17: {"int_f0_target_mean": 222, "int_f0_target_stddev": 44, "duration_stretch": 1.3, "smaller": 1.05},
}


def say(voice, text, settings):
    out = HERE / "raw.wav"
    options = [o for k, v in settings.items() for o in ("--setf", f"{k}={v}")]
    subprocess.run(["flite", "-voice", voice, *options, "-t", text, "-o", out], check=True)
    with wave.open(str(out)) as w:
        rate, x = w.getframerate(), np.frombuffer(w.readframes(w.getnframes()), "<i2").astype(float) / 32768
    out.unlink()
    return rate, x


def whisper(x, random, window=256, hop=64):
    """Keeps the short-time spectrum's size and scatters its phase: breath instead of a voice."""
    y, w = np.zeros(len(x) + window), np.hanning(window)
    for i in range(0, len(x) - window, hop):
        size = np.abs(np.fft.rfft(x[i:i + window] * w))
        size = np.convolve(size, np.ones(5) / 5, "same")
        y[i:i + window] += np.fft.irfft(size * np.exp(2j * np.pi * random.random(len(size)))) * w
    y = np.concatenate([[0], y[1:] - 0.6 * y[:-1]])[: len(x)]
    return y / np.abs(y).max() * 0.25


def smaller(x, by):
    """As if the head were smaller by this."""
    return np.interp(np.arange(0, len(x) - 1, by), np.arange(len(x)), x)


WANTED = [int(n) for n in sys.argv[1:]] or range(1, len(TEXTS) + 1)
for number in WANTED:
    text = TEXTS[number - 1]
    settings = {**PLAIN, **MANNER.get(number, {})}
    gain, breathy = settings.pop("gain", 1.0), settings.pop("whisper", False)
    size = settings.pop("smaller", 1.0)
    rate, x = say(VOICES.get(number, "awb"), text, settings)
    random = np.random.default_rng(number)
    if size != 1:
        x = smaller(x, size)
    if breathy:
        x = whisper(x, random)
    x = np.tanh(gain * x) if gain > 1 else x
    x = x / np.abs(x).max() * (0.2 if breathy else 0.9 if gain > 1 else 0.6)
    room = random.normal(0, 2e-4, len(x) + rate // 2)  # a quarter second of room before and after
    room[rate // 4: rate // 4 + len(x)] += x
    with wave.open(str(HERE / f"{number:02}.wav"), "wb") as w:
        w.setparams((1, 2, rate, 0, "NONE", ""))
        w.writeframes(np.clip(np.round(room * 32767), -32768, 32767).astype("<i2").tobytes())
    print(number, f"{len(room) / rate:.2f} s", text)
