#!/bin/sh
# Curves of a recording as JSON:  curves.sh line.wav "What is said." > curves.json
set -eu
server="${JAMLIPS:-http://127.0.0.1:7420}"
exec curl --silent --show-error --fail-with-body \
    ${JAMLIPS_TOKEN:+-H "Authorization: Bearer $JAMLIPS_TOKEN"} \
    -F "recording=@$1" -F "text=${2:-}" "$server/api/v1/curves"
