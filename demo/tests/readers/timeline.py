"""Reads a timeline with its reference library, OpenTimelineIO (PyPI).

Argument: a file. Standard output: what was read, JSON.
"""
import json, sys
import opentimelineio as otio


def read(path):
    timeline = otio.adapters.read_from_file(path)
    again = json.loads(otio.adapters.write_to_string(timeline, "otio_json"))
    return {
        "start": timeline.global_start_time.value,
        "rate": timeline.global_start_time.rate,
        "length": timeline.duration().value,
        "names": [[track.name, track.kind] for track in timeline.tracks],
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
        "same": again == json.load(open(path)),
    }


if __name__ == "__main__":
    print(json.dumps(read(sys.argv[1])))
