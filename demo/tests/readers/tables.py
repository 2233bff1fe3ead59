"""Reads delivered tables, subtitles, head motion, sound and timelines with libraries that are not ours: pandas, webvtt-py,
bvh, wavinfo, OpenTimelineIO (all PyPI).

Argument: a folder. Standard output: what was read, JSON.
"""
import glob, json, sys
import pandas
import webvtt
from bvh import Bvh
from timeline import read
from wavinfo import WavInfoReader

folder, name = sys.argv[1], sys.argv[2]


def path(ending):
    return f"{folder}/{name}.{ending}"


def wide(ending):
    table = pandas.read_csv(path(ending))
    return {c: table[c].tolist() for c in table.columns}


long = pandas.read_csv(path("long.csv"), keep_default_na=False)
sheet = pandas.read_csv(path("sheet.csv"), keep_default_na=False)
motion = Bvh(open(path("bvh")).read())
channels = ("Yrotation", "Xrotation", "Zrotation")
sound = WavInfoReader(path("wav"))


def cues(captions):
    return [[c.start, c.end, c.text] for c in captions]


print(json.dumps({
    "csv": wide("csv"),
    "controls": wide("controls.csv"),
    "capture": wide("capture.csv"),
    "long": [[k, n, a, f, v] for k, n, a, f, v in zip(long.kind, long.name, long.axis, long.frame, long.value)],
    "sheet": sheet.to_dict("records"),
    "vtt": cues(webvtt.read(path("vtt"))),
    "srt": cues(webvtt.from_srt(path("srt"))),
    "bvh": {
        "frames": motion.nframes,
        "frame_time": motion.frame_time,
        "head": [[motion.frame_joint_channel(i, "head", c) for c in channels] for i in range(motion.nframes)],
    },
    "wav": {
        "reference": sound.bext.time_reference,
        "description": sound.bext.description,
        "rate": sound.fmt.sample_rate,
        "samples": sound.data.frame_count,
        "bits": sound.fmt.bits_per_sample,
    },
    "otio": read(glob.glob(f"{folder}/*.otio")[0]),
}))
