#!/bin/sh
# The ledger in a real PostgreSQL against the one in memory: installs (Debian, as root; a minute),
# starts the server as a user without rights in a folder of its own, tests, stops it again.
# Usage: tools/test-engines.sh [first seed] [last seed]
set -eu
cd "$(dirname "$0")/.."
bin=/usr/lib/postgresql/15/bin
if [ ! -x $bin/initdb ] || ! Rscript -e 'quit(status = !requireNamespace("RPostgreSQL", quietly = TRUE))'; then
  echo "Setting up PostgreSQL (about a minute)"
  mkdir -p /etc/postgresql-common
  echo "create_main_cluster = false" > /etc/postgresql-common/createcluster.conf
  apt-get install -y --no-install-recommends postgresql-15 r-cran-rpostgresql >/dev/null
fi
folder=$(mktemp -d /tmp/nubrek-engines-XXXXXX)
port=$((20000 + $$ % 20000))
chown nobody "$folder"
as_nobody() { su -s /bin/sh nobody -c "cd $folder; $1"; }
stop() {
  as_nobody "$bin/pg_ctl -D $folder/data stop -m fast" >/dev/null 2>&1 || true
  rm -rf "$folder"
}
trap stop EXIT INT TERM
as_nobody "$bin/initdb -D $folder/data -U nubrek --auth=trust -E UTF8 --locale=C.UTF-8" >/dev/null
as_nobody "$bin/pg_ctl -w -D $folder/data -l $folder/log \
  -o '-k $folder -p $port -c listen_addresses=127.0.0.1' start" >/dev/null
NUBREK_PORT=$port Rscript tools/test-engines.R "${1:-1}" "${2:-25}"
