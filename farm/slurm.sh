#!/bin/bash
# Works a plan out as a Slurm array, a slice a task; the nodes must share the plan's folder and what it names.
#   farm/slurm.sh PLAN [slices at once]
# JAMLIPS names the program. Prints the report; its exit status is that of the report.
set -eu
plan=$(realpath "$1"); most=${2:-100}; jamlips=${JAMLIPS:-jamlips}
slices=$(cat "$plan/slices")
mkdir -p "$plan/logs"
# Tried again inside the task: a job that is put back into the queue waits two minutes. --requeue is for nodes that die.
job=$(sbatch --parsable --job-name=jamlips --array="0-$((slices - 1))%$most" --cpus-per-task=1 --mem="${JAMLIPS_MEMORY:-600M}" \
  --time="${JAMLIPS_MINUTES:-60}" --requeue --output="$plan/logs/%A_%a.txt" \
  --wrap "for i in 1 2 3; do '$jamlips' unit '$plan' \$SLURM_ARRAY_TASK_ID; r=\$?; [ \$r -eq 75 ] || break; sleep \$((i * 3)); done; exit \$r")
# Whatever became of the tasks (afterok would never start after one that failed).
sbatch --parsable --wait --job-name=report --dependency="afterany:$job" --time=10 --mem=200M --output="$plan/logs/report.txt" \
  --wrap "'$jamlips' report '$plan'" > /dev/null && r=0 || r=$?
cat "$plan/logs/report.txt"
exit $r
