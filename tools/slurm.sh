#!/bin/sh
# A Slurm queue of this one machine, to try work on a real queue: as root, with the Debian packages slurm-wlm and munge.
#
#   sh tools/slurm.sh start DIR     sets it up, with its state and its configuration in DIR, and prints what to export
#   sh tools/slurm.sh stop DIR      ends it
set -eu
action=$1
mkdir -p "$2"
place=$(cd "$2" && pwd)
export SLURM_CONF="$place/slurm.conf"

start() {
  host=$(hostname -s)
  processors=$(nproc)
  memory=$(awk '/MemTotal/ { print int($2 / 1024 * 0.8) }' /proc/meminfo)
  mkdir -p "$place/state" "$place/spool" "$place/log"
  cat > "$SLURM_CONF" <<EOF
ClusterName=tundrel
SlurmctldHost=$host(127.0.0.1)
SlurmUser=root
SlurmdUser=root
AuthType=auth/munge
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SchedulerType=sched/backfill
SelectType=select/cons_tres
SelectTypeParameters=CR_Core
StateSaveLocation=$place/state
SlurmdSpoolDir=$place/spool
SlurmctldPidFile=$place/slurmctld.pid
SlurmdPidFile=$place/slurmd.pid
SlurmctldLogFile=$place/log/slurmctld.log
SlurmdLogFile=$place/log/slurmd.log
MpiDefault=none
ReturnToService=2
NodeName=$host NodeAddr=127.0.0.1 CPUs=$processors RealMemory=$memory State=UNKNOWN
PartitionName=all Nodes=$host Default=YES MaxTime=INFINITE State=UP
EOF
  if ! pgrep -x munged > /dev/null; then
    mkdir -p /run/munge /var/log/munge
    chown munge: /run/munge /var/log/munge
    runuser -u munge -- munged
  fi
  slurmctld
  slurmd
  for i in $(seq 50); do
    if sinfo -h -o %T 2> /dev/null | grep -q -E 'idle|mixed'; then
      echo "export SLURM_CONF=$SLURM_CONF"
      return
    fi
    sleep 0.2
  done
  echo "The queue does not start; see $place/log" >&2
  exit 1
}

stop() {
  scancel --user root 2> /dev/null || true
  for pid in slurmd slurmctld; do
    if [ -f "$place/$pid.pid" ]; then kill "$(cat "$place/$pid.pid")" 2> /dev/null || true; fi
  done
}

case $action in start | stop) "$action" ;; *) sed -n 2,5p "$0"; exit 2 ;; esac
