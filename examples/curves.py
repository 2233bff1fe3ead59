#!/usr/bin/env python3
"""How far the jaw is open, frame by frame, from the table of curves:  curves.py line.wav "What is said."
Needs nothing but Python's own library."""
import csv, io, os, sys, urllib.error, urllib.request, uuid

server = os.environ.get("JAMLIPS", "http://127.0.0.1:7420")
path, text = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else ""
edge = uuid.uuid4().hex
body = b"".join([
    f'--{edge}\r\nContent-Disposition: form-data; name="text"\r\n\r\n{text}\r\n'.encode(),
    f'--{edge}\r\nContent-Disposition: form-data; name="recording"; filename="{os.path.basename(path)}"\r\n\r\n'.encode(),
    open(path, "rb").read(),
    f"\r\n--{edge}--\r\n".encode(),
])
headers = {"Content-Type": f"multipart/form-data; boundary={edge}", "Accept": "text/csv"}
if os.environ.get("JAMLIPS_TOKEN"):
    headers["Authorization"] = "Bearer " + os.environ["JAMLIPS_TOKEN"]
try:
    answer = urllib.request.urlopen(urllib.request.Request(server + "/api/v1/curves", body, headers))
except urllib.error.HTTPError as error:
    sys.exit(error.read().decode())  # a problem document: what is wrong, and what to do
for row in csv.DictReader(io.TextIOWrapper(answer, "utf-8")):
    print(row["frame"], row["jaw_open"])
