"""Reads delivered tables, subtitles, head motion, sound and timelines with libraries that are not ours: pandas, webvtt-py,
bvh, wavinfo, OpenTimelineIO (all PyPI).

Argument: a folder. Standard output: what was read, JSON.
"""
import glob, json, sys
import opentimelineio as otio
import pandas
import webvtt
from bvh import Bvh
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
timeline = otio.adapters.read_from_file(glob.glob(f"{folder}/*.otio")[0])
again = json.loads(otio.adapters.write_to_string(timeline, "otio_json"))


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
    "otio": {
        "start": timeline.global_start_time.value,
        "rate": timeline.global_start_time.rate,
        "length": timeline.duration().value,
        "tracks": [
            [
                {
                    "name": item.name,
                    "at": track.range_of_child(item).start_time.value,
                    "frames": item.duration().value,
                    "url": getattr(getattr(item, "media_reference", None), "target_url", None),
                    "markers": [[m.name, m.marked_range.start_time.value] for m in item.markers],
                }
                for item in track
            ]
            for track in timeline.tracks
        ],
        "same": again == json.load(open(glob.glob(f"{folder}/*.otio")[0])),
    },
}))
