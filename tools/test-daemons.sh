#!/bin/sh
# A ledger in parts on daemons: two, each a user of its own in a network of its own where this is
# root on Linux, else two processes on this machine. Installs mirai (some minutes the first time,
# into .engines). Usage: tools/test-daemons.sh
set -eu
cd "$(dirname "$0")/.."
mkdir -p .engines/library
R_LIBS=${R_LIBS:-$PWD/.library}:$PWD/.engines/library
export R_LIBS
if ! Rscript -e 'quit(status = !requireNamespace("mirai", quietly = TRUE))'; then
  echo "Setting up mirai (compiles; some minutes)"
  MAKEFLAGS=-j2 Rscript -e 'install.packages("mirai", ".engines/library", quiet = TRUE)' \
    > .engines/install.log 2>&1 || { tail -20 .engines/install.log; exit 1; }
fi
NUBREK_FOLDER=$(mktemp -d /tmp/nubrek-daemons-XXXXXX)
chmod 755 "$NUBREK_FOLDER"
mine=nbk$$
networks() {
  for k in 1 2; do
    ip netns add "$mine-$k" &&
      ip link add "v$k-$mine" type veth peer name "w$k-$mine" netns "$mine-$k" &&
      ip addr add "10.231.$k.1/30" dev "v$k-$mine" && ip link set "v$k-$mine" up &&
      ip -n "$mine-$k" addr add "10.231.$k.2/30" dev "w$k-$mine" &&
      ip -n "$mine-$k" link set "w$k-$mine" up && ip -n "$mine-$k" link set lo up &&
      ip -n "$mine-$k" route add default via "10.231.$k.1" || return 1
  done
}
stop() {
  for k in 1 2; do
    ip netns pids "$mine-$k" 2>/dev/null | xargs -r kill 2>/dev/null || true
    ip netns del "$mine-$k" 2>/dev/null || true
  done
  rm -rf "$NUBREK_FOLDER"
}
trap stop EXIT INT TERM
if [ "$(id -u)" = 0 ] && networks 2>/dev/null; then
  NUBREK_HOST=10.231.1.1
  NUBREK_RUN="ip netns exec $mine-1 su -s /bin/sh nobody
ip netns exec $mine-2 su -s /bin/sh games"
else
  NUBREK_HOST=127.0.0.1
  NUBREK_RUN="sh
sh"
fi
export NUBREK_HOST NUBREK_RUN NUBREK_FOLDER
Rscript tools/test-daemons.R
