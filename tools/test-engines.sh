#!/bin/sh
# The ledger in real engines against the one in memory. Installs what is missing (Debian, as root;
# some minutes the first time, into .engines), starts servers as a user without rights in a folder
# of their own, tests, stops them again. Usage: tools/test-engines.sh [seeds] [engine ...]
set -eu
cd "$(dirname "$0")/.."
seeds=${1:-25}
[ $# -eq 0 ] || shift
[ $# -gt 0 ] || set -- PostgreSQL DuckDB ClickHouse
tools=$PWD/.engines
mkdir -p "$tools/library"
R_LIBS=${R_LIBS:-$PWD/.library}:$tools/library
export R_LIBS
has() { Rscript -e "quit(status = !requireNamespace('$1', quietly = TRUE))"; }
bin=/usr/lib/postgresql/15/bin
folder=$(mktemp -d /tmp/nubrek-engines-XXXXXX)
port=$((20000 + $$ % 20000))
chown nobody "$folder"
as_nobody() { su -s /bin/sh nobody -c "cd $folder; $1"; }
stop() {
  [ ! -d "$folder/data" ] || as_nobody "$bin/pg_ctl -D $folder/data stop -m fast" >/dev/null 2>&1 || true
  for pid in "$folder"/clickhouse*/pid; do
    [ ! -e "$pid" ] || kill -9 "$(cat "$pid")" 2>/dev/null || true
  done
  rm -rf "$folder"
}
trap stop EXIT INT TERM

add_postgresql() {
  if [ ! -x $bin/initdb ]; then
    echo "Setting up PostgreSQL (a minute)"
    mkdir -p /etc/postgresql-common
    echo "create_main_cluster = false" > /etc/postgresql-common/createcluster.conf
    apt-get install -y --no-install-recommends postgresql-15 >/dev/null
  fi
  if ! has RPostgres; then
    echo "Setting up its driver (some minutes)"
    apt-get install -y --no-install-recommends libpq-dev r-cran-bit64 r-cran-blob r-cran-hms \
      r-cran-lubridate r-cran-cpp11 r-cran-plogr >/dev/null
    add_packages RPostgres
  fi
  as_nobody "$bin/initdb -D $folder/data -U nubrek --auth=trust -E UTF8 --locale=C.UTF-8" >/dev/null
  as_nobody "$bin/pg_ctl -w -D $folder/data -l $folder/log \
    -o '-k $folder -p $port -c listen_addresses=127.0.0.1' start" >/dev/null
  export NUBREK_PORT=$port
}

add_duckdb() {
  duckdb=$tools/node_modules/@duckdb/node-bindings-linux-x64/libduckdb.so
  if [ ! -e "$duckdb" ]; then
    echo "Setting up DuckDB"
    (cd "$tools" && npm install --silent --prefix . --ignore-scripts @duckdb/node-bindings-linux-x64 >/dev/null)
  fi
  if ! has adbi; then
    echo "Setting up its driver (some minutes)"
    add_packages adbi
  fi
  export NUBREK_DUCKDB="$duckdb"
}

# Two servers that know of each other, each with the tables of some customers.
add_clickhouse() {
  if [ ! -d "$tools/node_modules/chdb" ]; then
    echo "Setting up ClickHouse (half a gigabyte)"
    (cd "$tools" && npm install --silent --prefix . --ignore-scripts chdb >/dev/null)
  fi
  if ! has RClickhouse; then
    echo "Setting up its driver (some minutes)"
    add_packages RClickhouse
  fi
  cc -O1 -o "$folder/clickhouse-server" tools/clickhouse-server.c -ldl
  cp "$tools/node_modules/@chdb/lib-linux-x64-gnu/libchdb.so" "$folder/"
  for k in 1 2; do
    own=$folder/clickhouse$k
    mkdir -p "$own/data"
    {
      echo "<clickhouse><remote_servers><both>"
      for other in 1 2; do
        echo "<shard><replica><host>127.0.0.1</host><port>$((port + other))</port></replica></shard>"
      done
      echo "</both></remote_servers></clickhouse>"
    } > "$own/config.xml"
    chown -R nobody "$own"
    as_nobody "./clickhouse-server ./libchdb.so --config-file=$own/config.xml --path=$own/data \
      --listen_host=127.0.0.1 --tcp_port=$((port + k)) --query='SYSTEM START LISTEN TCP; \
      SELECT sleepEachRow(1) FROM system.numbers FORMAT Null SETTINGS max_block_size = 1' \
      > $own/log 2>&1 & echo \$! > $own/pid"
  done
  NUBREK_PORT=$((port + 1))
  NUBREK_PIDS="$(cat "$folder/clickhouse1/pid") $(cat "$folder/clickhouse2/pid")"
  export NUBREK_PORT NUBREK_PIDS
}

add_packages() {
  MAKEFLAGS=-j2 Rscript -e "install.packages('$1', '$tools/library', quiet = TRUE)" \
    > "$tools/install.log" 2>&1 || { tail -20 "$tools/install.log"; exit 1; }
}

failed=0
for engine in "$@"; do
  case $engine in
    PostgreSQL) add_postgresql ;;
    DuckDB) add_duckdb ;;
    ClickHouse) add_clickhouse ;;
    *) echo "No engine is called $engine: PostgreSQL, DuckDB, ClickHouse"; exit 2 ;;
  esac
  echo "$engine, $seeds random ledgers"
  Rscript "${NUBREK_RUN:-tools/test-engines.R}" "$engine" "$seeds" || failed=1
done
exit $failed
