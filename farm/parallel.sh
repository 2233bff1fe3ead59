#!/bin/bash
# Works a plan out with GNU parallel, on this machine or over ssh (PARALLEL="--sshloginfile nodes --workdir ." where all share the folder).
#   farm/parallel.sh PLAN [slices at once]
# JAMLIPS names the program. Whatever happened before, run it again: what is done stays done.
set -eu
plan=$(realpath "$1"); jobs=${2:-1}; jamlips=${JAMLIPS:-jamlips}
slices=$(cat "$plan/slices")
# A slice ends with 75 if something may go better another time; what is broken for good is no reason to try again.
seq 0 $((slices - 1)) | parallel --will-cite --jobs "$jobs" --retries 3 --joblog "$plan/joblog" "$jamlips" unit "$plan" {} || true
exec "$jamlips" report "$plan"
