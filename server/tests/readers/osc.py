"""Receives one face on a port of this machine with python-osc and prints what it holds as JSON. osc.py PORT"""

import json
import socket
import sys
import time

from pythonosc.osc_bundle import OscBundle

# As docs/formats/live.md lists them.
NAMES = """browDownLeft browDownRight browInnerUp browOuterUpLeft browOuterUpRight cheekPuff cheekSquintLeft cheekSquintRight
eyeBlinkLeft eyeBlinkRight eyeLookDownLeft eyeLookDownRight eyeLookInLeft eyeLookInRight eyeLookOutLeft eyeLookOutRight
eyeLookUpLeft eyeLookUpRight eyeSquintLeft eyeSquintRight eyeWideLeft eyeWideRight jawForward jawLeft jawOpen jawRight
mouthClose mouthDimpleLeft mouthDimpleRight mouthFrownLeft mouthFrownRight mouthFunnel mouthLeft mouthLowerDownLeft
mouthLowerDownRight mouthPressLeft mouthPressRight mouthPucker mouthRight mouthRollLower mouthRollUpper mouthShrugLower
mouthShrugUpper mouthSmileLeft mouthSmileRight mouthStretchLeft mouthStretchRight mouthUpperUpLeft mouthUpperUpRight
noseSneerLeft noseSneerRight tongueOut""".split()

heard = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
heard.bind(("127.0.0.1", int(sys.argv[1])))
heard.settimeout(60)
face = {"coefficients": {}}
while len(face["coefficients"]) < 52 or "clock" not in face:
    bundle = OscBundle(heard.recv(65536))
    face["lead"] = bundle.timestamp - time.time()
    for message in bundle:
        if message.address == "/clock":
            # The page may not have said yet where it is.
            face = {"coefficients": {}, "lead": face["lead"]} if message.params[2] != 0.25 else face
            face["clock"] = message.params
        elif message.address == "/face":
            face["coefficients"] = dict(zip(NAMES, message.params))
        elif message.address.startswith("/face/"):
            face["coefficients"][message.address[6:]] = message.params[0]
        else:
            face[message.address[1:]] = message.params
print(json.dumps(face))
