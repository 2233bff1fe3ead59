"""Makes the seeds that the search starts from: the smallest files of each kind that hold something of all that is read.

    python3 fuzz/make_seeds.py     (needs ffmpeg)
"""
import io, json, pathlib, struct, subprocess, zipfile, zlib

ROOT = pathlib.Path(__file__).parent
SEEDS = ROOT / "seeds"


def put(reader, name, data):
    folder = SEEDS / reader
    folder.mkdir(parents=True, exist_ok=True)
    (folder / name).write_bytes(data if isinstance(data, bytes) else data.encode())


def sounds():
    source = ROOT.parent / "formats/tests/fixtures/say.wav"
    for name, more in {
        "a.wav": [],
        "float.wav": ["-c:a", "pcm_f32le", "-ac", "2"],
        "adpcm.wav": ["-c:a", "adpcm_ms"],
        "a.flac": [],
        "a.mp3": ["-b:a", "32k"],
        "a.m4a": ["-b:a", "32k"],
        "alac.m4a": ["-c:a", "alac"],
        "a.ogg": ["-c:a", "libvorbis"],
        "a.aiff": [],
        "a.caf": [],
    }.items():
        out = pathlib.Path("/tmp") / f"seed-{name}"
        cut = ["ffmpeg", "-v", "error", "-y", "-ss", "0.4", "-t", "0.08", "-i", str(source), "-map_metadata", "-1"]
        subprocess.run([*cut, "-fflags", "+bitexact", "-flags", "+bitexact", *more, str(out)], check=True)
        put("sound", name, out.read_bytes())
        out.unlink()


def picture():
    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\0" + bytes([r, 0, 255 - r]) * 2 for r in (0, 255))
    head = struct.pack(">IIBBBBB", 2, 2, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def gltf(packed):
    """Two triangles with two shapes, a skin of two joints, a picture and a clip that moves both."""
    blob, views, accessors = b"", [], []

    def view(data):
        nonlocal blob
        blob += b"\0" * (-len(blob) % 4)
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(data)})
        blob += data
        return len(views) - 1

    def accessor(kind, component, values, **more):
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}[kind]
        code = {5126: "f", 5125: "I", 5123: "H", 5121: "B"}[component]
        data = struct.pack(f"<{len(values)}{code}", *values)
        one = {"bufferView": view(data), "componentType": component, "count": len(values) // width, "type": kind}
        accessors.append({**one, **more})
        return len(accessors) - 1

    square = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]
    position = accessor("VEC3", 5126, square, min=[0, 0, 0], max=[1, 1, 0])
    indices = accessor("SCALAR", 5123, [0, 1, 2, 0, 2, 3])
    open_jaw = accessor("VEC3", 5126, [0, -0.1, 0] * 2 + [0] * 6, min=[0, -0.1, 0], max=[0, 0, 0])
    sparse = {
        "count": 1,
        "indices": {"bufferView": view(struct.pack("<H", 1)), "componentType": 5123},
        "values": {"bufferView": view(struct.pack("<3f", 0.1, 0, 0))},
    }
    accessors.append({"componentType": 5126, "count": 4, "type": "VEC3", "sparse": sparse})
    spread = len(accessors) - 1
    joints = accessor("VEC4", 5121, [0, 1, 0, 0] * 4)
    weights = accessor("VEC4", 5126, [0.5, 0.5, 0, 0] * 4)
    inverse = accessor("MAT4", 5126, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1] * 2)
    uv = accessor("VEC2", 5126, [0, 0, 1, 0, 1, 1, 0, 1])
    times = accessor("SCALAR", 5126, [0, 0.5, 1], min=[0], max=[1])
    moves = accessor("SCALAR", 5126, [0, 0, 1, 0.5, 0, 1])
    turns = accessor("VEC4", 5126, [0, 0, 0, 1, 0, 0.1, 0, 0.995, 0, 0, 0, 1])
    image = {"mimeType": "image/png", "bufferView": view(picture())} if packed else {"uri": "skin.png"}
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {"name": "face", "mesh": 0, "skin": 0},
            {"name": "neck", "children": [2]},
            {"name": "head", "translation": [0, 1, 0]},
        ],
        "meshes": [
            {
                "name": "face",
                "weights": [0, 0],
                "extras": {"targetNames": ["jawOpen", "mouthSmile_L"]},
                "primitives": [
                    {
                        "attributes": {"POSITION": position, "JOINTS_0": joints, "WEIGHTS_0": weights, "TEXCOORD_0": uv},
                        "indices": indices,
                        "material": 0,
                        "targets": [{"POSITION": open_jaw}, {"POSITION": spread}],
                    }
                ],
            }
        ],
        "materials": [{"name": "skin", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "textures": [{"source": 0}],
        "images": [image],
        "skins": [{"joints": [1, 2], "inverseBindMatrices": inverse}],
        "animations": [
            {
                "name": "says",
                "samplers": [{"input": times, "output": moves}, {"input": times, "output": turns}],
                "channels": [
                    {"sampler": 0, "target": {"node": 0, "path": "weights"}},
                    {"sampler": 1, "target": {"node": 2, "path": "rotation"}},
                ],
            }
        ],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{"byteLength": len(blob), **({} if packed else {"uri": "face.bin"})}],
    }
    text = json.dumps(document, separators=(",", ":")).encode()
    if packed:
        text += b" " * (-len(text) % 4)
        blob += b"\0" * (-len(blob) % 4)
        chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(blob), 0x4E4942) + blob
        return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in (("a/face.gltf", text), ("a/face.bin", blob), ("a/skin.png", picture())):
            archive.writestr(zipfile.ZipInfo(name), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()


HEAD_MOTION = """HIERARCHY
ROOT Hips
{
 OFFSET 0 0 0
 CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
 JOINT Neck
 {
  OFFSET 0 1 0
  CHANNELS 3 Zrotation Xrotation Yrotation
  JOINT Head
  {
   OFFSET 0 1 0
   CHANNELS 3 Zrotation Xrotation Yrotation
   End Site
   {
    OFFSET 0 1 0
   }
  }
 }
}
MOTION
Frames: 2
Frame Time: 0.0416
0 0 0 0 0 0 1 2 3 4 5 6
0 0 0 0 0 0 2 2 3 4 5 7
"""

KEYS = [{"time": 0.2, "value": 0.5}, {"time": 0.6, "value": 0.1}]
TOUCH = {"control": "jaw_open", "laid": "add", "fade_in": 0.05, "fade_out": 0.1, "amount": 1.0, "keys": KEYS}
ALL = {"start": 0.0, "end": 1.5}
HAPPY = {"do": "add_mood", "mood": "happiness", "amount": 0.7, "over": {"time": 0.5}}
FEAR = {"do": "add_mood", "mood": "fear", "amount": 1.0, "over": {"span": {"start": 0.2, "end": 0.9}}}
LAY = {"do": "touches", "what": "lay", "put": [TOUCH]}

# What is made on the line of `src/line.rs`: words have the numbers 1 to 6, sounds 7 to 18, what is added goes on from 19.
OPERATIONS = [
    [{"do": "text", "text": "may we all go home", "language": "fr"}],
    [{"do": "reach", "of": {"word": 1}, "amount": 1.4}, {"do": "reach", "of": {"sound": 8}, "amount": 0.4}],
    [{"do": "diction", "change": {"openness": 1.2, "lead": 0.05, "drive": "loudness"}}],
    [{"do": "correct", "correction": {"kind": "move_edge", "sound": 9, "to": 0.31, "alone": True}}],
    [{"do": "retype", "word": 2, "text": "we"}, {"do": "write", "at": 0.3, "text": "oh"}],
    [{"do": "pronounce", "word": 2, "sounds": "M EY1"}],
    [HAPPY, FEAR, {"do": "swell_here", "mood": 19, "time": 0.6}, {"do": "swell", "mood": 19, "key": 0.5, "to": [0.6, 1.5]}],
    [FEAR, {"do": "split", "id": 19, "time": 0.5}, {"do": "change_mood", "id": 19, "change": {"ease": 0.1}}],
    [{"do": "layer", "layer": "hand", "change": {"on": False, "amount": 0.5, "without": ["jaw"], "draw": 2}}],
    [{"do": "blinks", "change": {"rate": 2.0, "mode": "pattern"}}, {"do": "add_blink", "time": 0.4, "shape": "heavy"}],
    [{"do": "settings", "change": {"sway": 2.0, "nods": 0.0, "guard": 0.5, "sway_loop": 4.0}}],
    [{"do": "add_mark", "name": "door", "at": {"yaw": 20, "pitch": 4}}, {"do": "remove_mark", "id": 19}],
    [{"do": "add_look", "look": {"kind": "at", "mark": 0}, "at": {"yaw": 30, "pitch": 0}, "over": {"word": 3}}],
    [{"do": "add_move", "does": {"kind": "turn", "yaw": 10, "pitch": 2, "roll": 0}, "over": {"time": 0.5}}],
    [{"do": "add_move", "does": {"kind": "shiver", "degrees": 2, "per_second": 8}, "over": {"word": 2}}],
    [{"do": "add_level", "layer": "mood", "time": 0.7, "share": 0.3}, {"do": "change_level", "id": 19, "share": 0.9}],
    [{"do": "body", "body": {"yaw": KEYS, "pitch": KEYS, "roll": [], "amount": 1.0}}, {"do": "body_amount", "amount": 0.5}],
    [LAY, {"do": "lay_as", "touches": [19], "laid": "replace"}, {"do": "move_touches", "touches": [19], "to": 0.7}],
    [LAY, {"do": "mirror", "touches": [19]}, {"do": "remove", "ids": [19]}],
    [{"do": "key", "control": "lips_close", "time": 0.4, "value": 0.3, "shape": "smooth"}],
    [{"do": "paste", "time": 0.3, "curves": [{"control": "head_yaw", "laid": "add", "amount": 1.0, "keys": KEYS}]}],
    [{"do": "neutral", "time": 0.8, "regions": ["lips"], "ease": 0.1, "hold": 0.2}],
    [{"do": "bake", "controls": ["jaw_open", "head_yaw"], "span": ALL, "tolerance": 0.01}],
    [{"do": "automatic", "controls": ["jaw_open"], "span": ALL}, {"do": "unbake", "touches": [], "controls": [], "span": ALL}],
    [
        {
            "do": "pass",
            "pad": "head",
            "taken": [{"time": 0.1 * i, "place": [0.1 * i, -0.2, True]} for i in range(5)],
            "late": 0.0,
            "laid": "add",
            "smooth": 0.1,
            "tolerance": 0.02,
        },
        {"do": "change_pass", "touches": [19], "smooth": 0.4, "amount": 0.5},
    ],
    [{"do": "film", "film": {"film": 1, "offset": 0.5}}, {"do": "frames", "frames": {"first": 100, "rate": "25"}}],
    [{"do": "mend", "rule": "seal", "start": 0.1}, {"do": "dismiss", "rule": "seal", "start": 0.1, "reason": "no"}],
    [{"do": "strike", "pose": "smile", "time": 0.5, "amount": 1.0}, {"do": "restore", "snapshot": 1}],
    [{"do": "name", "name": "a"}, {"do": "character", "name": "Odile"}, {"do": "listen", "listen": {"take": None}}],
]

CURVES = {
    "format": "jam-lips-curves/1",
    "frame_rate": {"num": 24, "den": 1},
    "first_frame": 1001,
    "controls": {"jaw_open": [0, 0.5, 1], "head_yaw": [0, 1, 2]},
}


def main():
    sounds()
    put("model", "face.glb", gltf(True))
    put("model", "face.zip", gltf(False))
    put("motion", "face.glb", gltf(True))
    put("motion", "curves.json", json.dumps(CURVES))
    put("motion", "table.csv", "time,jaw_open,head_yaw\n0,0,1\n0.1,0.5,2\n0.2,1,3\n")
    put("motion", "outputs.csv", "frame;jaw_open;lips_close\n1;0,1;0\n2;0,5;1\n")
    put("bvh", "head.bvh", HEAD_MOTION)
    put("motion", "head.bvh", HEAD_MOTION)
    put("tiers", "short.TextGrid", (ROOT.parent / "formats/tests/fixtures/worst-short.TextGrid").read_bytes())
    put(
        "tiers",
        "long.TextGrid",
        'File type = "ooTextFile"\nObject class = "TextGrid"\n\nxmin = 0\nxmax = 1\ntiers? <exists>\nsize = 2\nitem []:\n'
        '    item [1]:\n        class = "IntervalTier"\n        name = "words"\n        xmin = 0\n        xmax = 1\n'
        '        intervals: size = 1\n        intervals [1]:\n            xmin = 0\n            xmax = 1\n            text = "may"\n'
        '    item [2]:\n        class = "IntervalTier"\n        name = "phones"\n        xmin = 0\n        xmax = 1\n'
        '        intervals: size = 2\n        intervals [1]:\n            xmin = 0\n            xmax = 0.4\n            text = "M"\n'
        '        intervals [2]:\n            xmin = 0.4\n            xmax = 1\n            text = "EY1"\n',
    )
    put("table", "lines.csv", "file,text,character,language\na.wav,May we,Bram,\nb.wav,\"He said, \"\"go\"\"\",Odile,fr\n")
    put("table", "lines.tsv", "\ufefffile\ttext\na.wav\tMay we\n")
    put("text", "plain.txt", "BRAM: May we go? [laughs]\nODILE: (low) No. /noʊ/ 24 Feet, 3rd St.\n")
    put("text", "said.srt", "1\n00:00:01,000 --> 00:00:02,500\n<i>May</i> we\n\n2\n00:00:03,000 --> 00:00:04,000\ngo\n")
    put("text", "said.vtt", "WEBVTT\n\nNOTE a\n\n00:01.000 --> 00:02.000 align:start\n<v Bram>May we\n")
    put("text", "wide.txt", "May we".encode("utf-16"))
    put("sounds", "english.txt", "/M EY1 W IY0/ may /ˈmeɪ wi/")
    put("sounds", "other.txt", "/bɔ̃.ʒuʁ t͡ʃˈaːo ʎ ɲ/")
    put("wiring", "wiring.json", json.dumps(WIRING))
    put("recipe", "recipe.json", json.dumps({"kinds": ["glb", "curves"], "names": "{production}_{line}", "rate": "24"}))
    for i, operations in enumerate(OPERATIONS):
        put("operation", f"{i}.json", "\n".join(json.dumps(o) for o in operations))
    face = b"/face/jawOpen\0\0\0" + b",f\0\0" + struct.pack(">f", 0.5)
    clock = b"/clock\0\0" + b",iidf\0\0\0" + struct.pack(">iidf", 1, 1001, 0.5, 1.0)
    body = b"".join(struct.pack(">i", len(m)) + m for m in (clock, face))
    put("packet", "bundle.osc", b"#bundle\0" + struct.pack(">II", 0, 1) + body)
    put("packet", "message.osc", face)


WIRING = {
    "format": "jam-lips-wiring/1",
    "character": "Bram",
    "outputs": [
        {"target": {"kind": "morph", "name": "jawOpen"}, "feeds": [{"control": "jaw_open", "gain": 1.0}]},
    ],
}

if __name__ == "__main__":
    main()
