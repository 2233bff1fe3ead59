"""Reads delivered USD files with the reference library (PyPI usd-core) and compares them with what was expected.

Standard input: JSON, {"files": [{"path", "first", "frames", "rate": [num, den], "sound": frame or null, "skel": bool,
"meshes": {name: {frame: [x, y, z, ...] or null where it is hidden}} or null, "scene": bool}]}. Of a scene meshes are named
after the prim that places their character, too: "Bram/face". Standard output: JSON, one object a file:
{"errors": [...], "warnings": [...], "apart": metres, "where": mesh and frame, "size": metres, "compared": meshes times frames}.
"""
import json, sys
import numpy as np
from pxr import Gf, Usd, UsdGeom, UsdMedia, UsdSkel, UsdValidation

VALIDATORS = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()


def points_of(mesh, time):
    place = np.array(UsdGeom.XformCache(time).GetLocalToWorldTransform(mesh.GetPrim()))
    points = np.asarray(mesh.GetPointsAttr().Get(time), float)
    return np.c_[points, np.ones(len(points))] @ place[:, :3]


def label(prim, scene):
    return f"{prim.GetPath().GetPrefixes()[1].name}/{prim.GetName()}" if scene else prim.GetName()


def check(file):
    said = {"errors": [], "warnings": [], "apart": 0.0, "where": "", "size": 0.0, "compared": 0}
    stage = Usd.Stage.Open(file["path"])
    for found in UsdValidation.ValidationContext(VALIDATORS).Validate(stage):
        where = "errors" if found.GetType() == UsdValidation.ValidationErrorType.Error else "warnings"
        said[where].append(found.GetMessage())
    first, frames = file["first"], file["frames"]
    expect = (first, first + frames - 1, file["rate"][0] / file["rate"][1])
    clock = (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond())
    if frames and clock != expect:
        said["errors"].append(f"clock {clock} is not {expect}")
    root = stage.GetDefaultPrim()
    if file["sound"] is not None:
        sound = UsdMedia.SpatialAudio(root.GetChild("sound"))
        if not sound or sound.GetStartTimeAttr().Get() != file["sound"] or not sound.GetFilePathAttr().Get().resolvedPath:
            said["errors"].append("the sound is missing, or starts elsewhere")
    if file["skel"] and frames:
        # The library's own skinning, on a copy.
        baked = file["path"] + ".baked.usdc"
        stage.Export(baked)
        stage = Usd.Stage.Open(baked)
        for prim in list(stage.Traverse()):
            if prim.IsA(UsdSkel.Root):
                UsdSkel.BakeSkinning(UsdSkel.Root(prim), Gf.Interval(first, first + frames - 1))
    if file["meshes"] is None:
        return said
    meshes = {label(p, file.get("scene")): UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)}
    if set(meshes) != set(file["meshes"]):
        said["errors"].append(f"meshes {sorted(meshes)} are not {sorted(file['meshes'])}")
        return said
    for name, expected in file["meshes"].items():
        for frame, numbers in expected.items():
            shown = meshes[name].ComputeVisibility(int(frame)) != "invisible"
            if shown != (numbers is not None):
                said["errors"].append(f"{name} is {'shown' if shown else 'hidden'} in {frame}")
            if numbers is None:
                continue
            truth, is_at = np.array(numbers).reshape(-1, 3), points_of(meshes[name], int(frame))
            if truth.shape != is_at.shape:
                said["errors"].append(f"{name} has {len(is_at)} points, not {len(truth)}")
                continue
            apart = float(np.linalg.norm(truth - is_at, axis=1).max())
            if apart > said["apart"]:
                said["apart"], said["where"] = apart, f"{name} in {frame}"
            said["size"] = max(said["size"], float(np.ptp(truth, axis=0).max()))
            said["compared"] += 1
    return said


print(json.dumps([check(file) for file in json.load(sys.stdin)["files"]]))
