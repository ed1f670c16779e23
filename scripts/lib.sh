# Shared by scripts/demo and scripts/test: what is missing, the build, a private PostgreSQL.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
root=$PWD
export CARGO_TARGET_DIR="${CARGO_TARGET_DIR:-${XDG_CACHE_HOME:-$HOME/.cache}/vistazo/target}"
program="$CARGO_TARGET_DIR/debug/vistazo"
export npm_config_update_notifier=false npm_config_fund=false npm_config_audit=false

say() { printf '\033[1m%s\033[0m\n' "· $*"; }
fail() { printf '\033[1mcannot go on:\033[0m %s\n' "$*" >&2; exit 1; }

# need COMMAND-OR-FILE PACKAGE…: installs Debian packages when the first is missing
need() {
  local probe=$1; shift
  if command -v "$probe" >/dev/null 2>&1 || ls $probe >/dev/null 2>&1; then return; fi
  local sudo=""
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null || fail "$probe is missing and this user has neither root nor sudo; install the Debian packages: $*"
    sudo=sudo
  fi
  say "installing $*"
  [ -n "${apt_updated:-}" ] || { $sudo apt-get update -qq || true; apt_updated=1; }
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "$@" >/dev/null || fail "the Debian packages $* could not be installed"
}

tools() {
  command -v cargo >/dev/null || fail "cargo is missing: a Rust toolchain of 1.95 or newer is needed"
  command -v npm >/dev/null || fail "npm is missing: Node.js 20 or newer is needed"
  need cc build-essential
  need '/usr/lib/postgresql/*/bin/initdb' postgresql
  pgbin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)
}

pages() {
  local stamp=web/node_modules/.vistazo-stamp
  if ! cmp -s web/package-lock.json "$stamp" 2>/dev/null; then
    say "installing the front end's packages"
    (cd web && npm ci --ignore-scripts --loglevel=error) || fail "npm could not install the packages of web/"
    cp web/package-lock.json "$stamp"
  fi
  if [ docs/openapi.json -nt web/src/api/schema.d.ts ]; then
    (cd web && npm run --silent client >/dev/null) || fail "the client could not be made from docs/openapi.json"
  fi
  if [ ! -f web/dist/index.html ] || [ -n "$(find web/src web/index.html web/vite.config.ts web/package.json -newer web/dist/index.html -print -quit)" ]; then
    say "building the pages"
    (cd web && npm run --silent build) || fail "the pages could not be built"
  fi
}

# run a database command as the user that owns the cluster
as_db() { if [ "$(id -u)" = 0 ]; then setpriv --reuid postgres --regid postgres --clear-groups -- "$@"; else "$@"; fi; }

free_port() { python3 - 2>/dev/null <<'P' || perl -MIO::Socket::INET -e 'print IO::Socket::INET->new(Listen=>1,LocalAddr=>"127.0.0.1",LocalPort=>0)->sockport'
import socket
s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])
P
}

# database FOLDER [OPTIONS]: starts a private cluster there on a free loopback port and sets VISTAZO_DATABASE_URL
database() {
  pgdata=$1/postgres
  mkdir -p "$1"
  if [ ! -f "$pgdata/PG_VERSION" ]; then
    say "making a private database"
    mkdir -p "$pgdata"
    [ "$(id -u)" != 0 ] || chown postgres "$pgdata"
    (cd / && as_db "$pgbin/initdb" -D "$pgdata" -U vistazo -A trust -E UTF8 --locale=C.UTF-8 >/dev/null) || fail "initdb failed in $pgdata"
  fi
  [ "$(id -u)" != 0 ] || chown -R postgres "$pgdata"
  pgport=$(free_port)
  (cd / && as_db "$pgbin/pg_ctl" -D "$pgdata" -w -t 60 -l "$pgdata/log" -o "-p $pgport -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=200 ${2:-}" start >/dev/null 9>&-) \
    || fail "the database did not start; its log is $pgdata/log"
  started=1
  export VISTAZO_DATABASE_URL="postgres://vistazo@127.0.0.1:$pgport/postgres"
}

# only what was started here
stop_database() { [ -z "${started:-}" ] || (cd / && as_db "$pgbin/pg_ctl" -D "$pgdata" -m fast stop >/dev/null 2>&1) || true; }
