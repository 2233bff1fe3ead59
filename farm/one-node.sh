#!/bin/bash
# A whole Slurm (munged, slurmctld, slurmd) on this machine, on loopback only and in a folder of its own: runs a command with SLURM_CONF
# set and takes everything down again, also on failure, Ctrl-C or a time limit. As root, with Debian's slurm-wlm and munge.
#   timeout -k 10 300 farm/one-node.sh COMMAND...
set -u
d=$(mktemp -d /tmp/one-node.XXXXXX); pids=()

# munged goes last: the others sign with it.
down() {
  trap - EXIT INT TERM
  for state in PENDING RUNNING; do timeout 5 scancel --state=$state 2> /dev/null; done
  sleep 0.3
  for p in "${pids[@]:1}"; do kill "$p" 2> /dev/null; done
  for _ in $(seq 50); do kill -0 "${pids[@]:1}" 2> /dev/null || break; sleep 0.1; done
  kill "${pids[0]}" 2> /dev/null; sleep 0.3
  for p in "${pids[@]}"; do kill -KILL "$p" 2> /dev/null; done
  wait 2> /dev/null
  rm -rf "$d"
}
trap down EXIT
trap 'exit 130' INT TERM

# A key of its own: no other cluster is touched. setsid: a signal to the group must not end the daemons before their jobs.
install -d -m 755 -o munge -g munge "$d/munge"; install -d -m 755 "$d/state" "$d/spool"; chmod 755 "$d"
head -c 1024 /dev/urandom > "$d/munge/key"; chown munge: "$d/munge/key"; chmod 400 "$d/munge/key"
setsid setpriv --reuid=munge --regid=munge --clear-groups /usr/sbin/munged --foreground --socket="$d/munge/socket" \
  --key-file="$d/munge/key" --log-file="$d/munge/log" --pid-file="$d/munge/pid" --seed-file="$d/munge/seed" > "$d/munge/out" 2>&1 &
pids+=($!)

host=$(hostname -s); port=$((20000 + RANDOM % 10000))
cat > "$d/slurm.conf" << C
ClusterName=one
SlurmctldHost=$host(127.0.0.1)
SlurmUser=root
SlurmdUser=root
AuthType=auth/munge
AuthInfo=socket=$d/munge/socket
CredType=cred/munge
CommunicationParameters=NoCtldInAddrAny,NoInAddrAny
SlurmctldPort=$port
SlurmdPort=$((port + 1))
SrunPortRange=$((port + 10))-$((port + 60))
StateSaveLocation=$d/state
SlurmdSpoolDir=$d/spool
SlurmctldPidFile=$d/ctld.pid
SlurmdPidFile=$d/d.pid
SlurmctldLogFile=$d/ctld.log
SlurmdLogFile=$d/d.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
SwitchType=switch/none
MpiDefault=none
ReturnToService=2
SchedulerParameters=sched_min_interval=100000,batch_sched_delay=0
NodeName=$host NodeAddr=127.0.0.1 CPUs=$(nproc) RealMemory=1500 State=UNKNOWN
PartitionName=here Nodes=$host Default=YES MaxTime=60 State=UP
C
export SLURM_CONF="$d/slurm.conf"
for _ in $(seq 50); do [ -S "$d/munge/socket" ] && break; sleep 0.1; done
setsid /usr/sbin/slurmctld -D -i -f "$SLURM_CONF" > "$d/ctld.out" 2>&1 & pids+=($!)
setsid /usr/sbin/slurmd -D -f "$SLURM_CONF" -N "$host" > "$d/d.out" 2>&1 & pids+=($!)
for _ in $(seq 100); do timeout 5 sinfo -h -o %T 2> /dev/null | grep -q idle && break; sleep 0.2; done
sinfo -h -o '%n %T %c' | grep -q idle || { echo 'Slurm did not come up:' >&2; tail -n 20 "$d/ctld.log" "$d/d.log" "$d/munge/log" >&2; exit 3; }
# In the background: a shell runs no trap while it waits for a child in front.
"$@" & wait $!
