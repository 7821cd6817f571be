# Shared by bin/start and bin/test: what must be installed, and a PostgreSQL cluster of our own.
say() { printf '%s\n' "$*"; }
fail() { printf '\n%s\n' "$*" >&2; exit 1; }

check_node() {
  command -v node >/dev/null 2>&1 || fail "Node.js is not installed. Install version 20.19 or newer, then run this again."
  node -e 'const [a,b]=process.versions.node.split(".").map(Number); process.exit(a>20||(a===20&&b>=19)?0:1)' || fail "Node.js $(node -v) is too old: version 20.19 or newer is needed."
}

# need_package NAME FILE: installs Debian's package NAME unless FILE (a glob) is there.
need_package() {
  compgen -G "$2" >/dev/null && return 0
  local as=""
  if [ "$(id -u)" -ne 0 ]; then
    sudo -n true 2>/dev/null && as="sudo -n" || fail "The Debian package \"$1\" is missing and this user may not install it. Ask an administrator to run: apt-get install $1"
  fi
  command -v apt-get >/dev/null 2>&1 || fail "\"$1\" is missing, and there is no apt-get to install it with. Install it, then run this again."
  say "Installing the Debian package $1 …"
  local log; log=$(mktemp)
  # A cluster of the distribution's own is neither needed nor wanted.
  { $as env DEBIAN_FRONTEND=noninteractive apt-get update -qq && $as env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$1"; } >"$log" 2>&1 || { tail -n 5 "$log" >&2; fail "\"$1\" could not be installed; the last lines above say why."; }
  rm -f "$log"
  compgen -G "$2" >/dev/null || fail "\"$1\" was installed but $2 is still missing."
}

install_npm_packages() {
  if [ ! -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
    say "Installing npm packages …"
    local log; log=$(mktemp)
    npm ci --no-audit --no-fund >"$log" 2>&1 || { tail -n 15 "$log" >&2; fail "npm ci failed; the last lines above say why. Is the npm registry reachable?"; }
    rm -f "$log"
    touch node_modules/.package-lock.json
  fi
}

free_port() { node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{console.log(String(s.address().port));s.close()})'; }

# Runs PostgreSQL's programs as an ordinary user: it refuses to be root.
as_pg() { if [ "$(id -u)" -eq 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi; }

# A port that can be listened on, or a sentence about why it cannot.
check_port() {
  case $PORT in '' | *[!0-9]*) fail "PORT must be a port number, not \"$PORT\"." ;; esac
  [ "$PORT" -le 65535 ] || fail "PORT must be a port number, not \"$PORT\"."
  node -e 'const s=require("net").createServer().once("error",(e)=>{console.error(e.code==="EADDRINUSE"?`Port ${process.env.PORT} on ${process.env.HOST} is in use. Stop the program that has it, or choose another: PORT=${Number(process.env.PORT)+1} bin/start`:`Cannot listen on ${process.env.HOST}:${process.env.PORT} (${e.message}).`);process.exit(1)});s.listen(Number(process.env.PORT),process.env.HOST,()=>s.close())' || exit 1
}

pg_ctl() { as_pg "$PG_BIN/pg_ctl" -D "$PG_FOLDER/db" "$@"; }
pg_running() { pg_ctl status >/dev/null 2>&1; }
# Megabytes of log that the database may keep: a twentieth of what is free, from 256 MB to 4 GB.
wal_size() { df -Pm "$1" | awk 'NR==2 { m = int($4 / 20); print (m < 256 ? 256 : m > 4096 ? 4096 : m) }'; }
# pg_start PORT: the lock that says who uses the cluster is not the database's own to hold.
pg_start() { pg_ctl -l "$PG_FOLDER/server.log" -o "-p $1" -w -t 60 start >/dev/null 8>&- 9>&-; }

# pg_cluster FOLDER KEEP: makes (once) and starts a cluster in FOLDER; sets PG_FOLDER, PG_BIN and DATABASE_URL.
# With KEEP=no durability is off: the cluster of a test run is thrown away.
pg_cluster() {
  local folder=$1 keep=$2
  need_package postgresql '/usr/lib/postgresql/*/bin/postgres'
  PG_BIN=$(dirname "$(ls -d /usr/lib/postgresql/*/bin/postgres | sort -V | tail -n 1)")
  mkdir -p "$folder" 2>/dev/null || fail "The folder $folder cannot be made. Check the rights of the folder that it is to be in."
  folder=$(cd "$folder" && pwd -P)
  [ -w "$folder" ] || fail "The folder $folder cannot be written. Its owner and rights must let $(id -un) do so."
  if [ "$(id -u)" -eq 0 ]; then
    chown postgres: "$folder"
    # The user postgres must be able to reach it; below a private home directory it cannot.
    if ! as_pg test -w "$folder"; then
      local other; other=/var/lib/hind-glance/$(printf '%s' "$folder" | sha256sum | cut -c1-12)
      mkdir -p "$other"; chown postgres: "$other"; folder=$other
    fi
  fi
  PG_FOLDER=$folder
  # Whoever uses the cluster holds this lock with others; who gets it alone is the last one and stops it.
  # It is made and started by one at a time.
  exec 9>"$folder/in-use" 8>"$folder/starting" || fail "Files in $folder cannot be written. Its owner and rights must let $(id -un) do so."
  flock -x 8
  flock -s 9
  if [ ! -f "$folder/db/PG_VERSION" ]; then
    say "Making a database cluster …"
    # It gets its name once it is whole: what an interrupted start left is made anew.
    rm -rf "$folder/db.new" "$folder/db"
    local pw; pw=$(node -e 'console.log(require("crypto").randomBytes(18).toString("hex"))')
    (umask 077; printf '%s\n' "$pw" >"$folder/password")
    [ "$(id -u)" -eq 0 ] && chown postgres: "$folder/password"
    as_pg "$PG_BIN/initdb" -D "$folder/db.new" -U hindglance --pwfile="$folder/password" --auth=scram-sha-256 -E UTF8 --no-locale >"/dev/null" 2>"$folder/initdb.log" || { cat "$folder/initdb.log" >&2; fail "The database cluster could not be made in $folder."; }
    {
      echo "listen_addresses = '127.0.0.1'"; echo "unix_socket_directories = ''"
      # Made for large writes, never for losing them.
      echo "shared_buffers = 192MB"; echo "max_wal_size = $(wal_size "$folder")MB"; echo "min_wal_size = 256MB"; echo "checkpoint_timeout = 15min"; echo "checkpoint_completion_target = 0.9"
      echo "wal_compression = off"; echo "max_connections = 80"; echo "maintenance_work_mem = 64MB"; echo "default_toast_compression = lz4"; echo "log_min_messages = warning"
      [ "$keep" = no ] && { echo "fsync = off"; echo "synchronous_commit = off"; echo "full_page_writes = off"; }
      true
    } | as_pg tee -a "$folder/db.new/postgresql.conf" >/dev/null
    mv "$folder/db.new" "$folder/db"
  fi
  local version; version=$(cat "$folder/db/PG_VERSION")
  [ -x "/usr/lib/postgresql/$version/bin/postgres" ] || fail "The database in $folder was made by PostgreSQL $version, which is no longer installed. Install it: apt-get install postgresql-$version"
  PG_BIN=/usr/lib/postgresql/$version/bin
  # One that is running may be on its way out (an earlier start that is just ending): wait for it to go.
  local i
  for i in $(seq 1 40); do
    pg_running || break
    [ -f "$folder/db/postmaster.pid" ] && [ "$(sed -n 8p "$folder/db/postmaster.pid" | tr -d ' ')" = ready ] && break
    sleep 0.25
  done
  if ! pg_running; then
    pg_start "$(free_port)" || { tail -n 15 "$folder/server.log" >&2; fail "The database did not start; its log is $folder/server.log."; }
  fi
  exec 8>&-
  PG_PORT=$(sed -n 4p "$folder/db/postmaster.pid")
  DATABASE_URL="postgres://hindglance:$(cat "$folder/password")@127.0.0.1:$PG_PORT/postgres"
  export DATABASE_URL
}

# Starts the database again on its port where it has ended by itself.
pg_watch() {
  pg_running && return 0
  say "The database has ended; it is started again."
  pg_start "$PG_PORT" || say "It did not start; it is tried again. Its log is $PG_FOLDER/server.log."
}

# Stops the database, unless another start uses it.
pg_stop() {
  [ -n "${PG_FOLDER:-}" ] || return 0
  flock -n -x 9 2>/dev/null || return 0
  pg_ctl -m fast -w -t 30 stop >/dev/null 2>&1
  return 0
}

# Stops the database once this process is gone, however that ended: killed, it can do so itself no more.
pg_guard() {
  setsid -f bash -c '. "$1"; PG_FOLDER=$2; PG_BIN=$3
    while kill -0 "$4" 2>/dev/null; do sleep 2; done
    # The server sees it too, and ends first.
    sleep 4
    exec 9>>"$PG_FOLDER/in-use" && pg_stop' guard "$PWD/bin/lib.sh" "$PG_FOLDER" "$PG_BIN" "$$" 8>&- 9>&- </dev/null >/dev/null 2>&1
}
