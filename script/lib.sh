# Sourced by the scripts beside it: sets up what they need, and only what is missing.
CALLED_FROM=$PWD
cd "$(dirname "${BASH_SOURCE[0]}")/.."
ROOT=$PWD
VENV=$ROOT/.venv

say() { printf '· %s\n' "$*"; }
stop() { printf 'lentra: %s\n' "$*" >&2; exit 1; }

# as_called FILE : a file as the caller means it
as_called() { case $1 in /*) printf '%s' "$1" ;; *) printf '%s' "$CALLED_FROM/$1" ;; esac; }

# lock_in_use : a developer's environment has all of it, a plain one what serves
lock_in_use() { [ -x "$VENV/bin/pytest" ] && echo requirements/dev.lock || echo requirements/service.lock; }

# need_debian PACKAGE... : the Debian packages, installed with apt when root
need_debian() {
  local missing=()
  for package in "$@"; do
    dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null | grep -qx installed || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  command -v apt-get >/dev/null || stop "missing: ${missing[*]}; this is no Debian, so install what corresponds to them"
  [ "$(id -u)" -eq 0 ] || stop "missing Debian packages; run: sudo apt-get install -y --no-install-recommends ${missing[*]}"
  say "Installing Debian packages: ${missing[*]}"
  export DEBIAN_FRONTEND=noninteractive
  { apt-get update -q && apt-get install -y -q --no-install-recommends "${missing[@]}"; } >"$ROOT/.setup.log" 2>&1 ||
    stop "apt-get failed: see $ROOT/.setup.log"
}

# find_python : an interpreter of 3.11 or later
find_python() {
  for candidate in python3.11 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$candidate"; return
    fi
  done
  stop "Python 3.11 or later is missing: apt-get install python3 python3-venv"
}

# need_python LOCK : a virtual environment with exactly what the lock file says
need_python() {
  local lock=$1 python mark
  if [ ! -x "$VENV/bin/python" ]; then
    python=$(find_python)
    case $("$python" -c 'import sys; print(sys.base_prefix)') in /usr) need_debian python3-venv python3-dev ;; esac
    say "Making the virtual environment"
    "$python" -m venv "$VENV" || stop "the virtual environment could not be made"
  fi
  mark=$VENV/.lentra-$(sha256sum "$lock" pyproject.toml | sha256sum | cut -c1-16)
  [ -e "$mark" ] && return
  say "Installing Python packages"
  "$VENV/bin/pip" install -q --disable-pip-version-check --require-hashes -r "$lock" >"$ROOT/.setup.log" 2>&1 &&
    "$VENV/bin/pip" install -q --disable-pip-version-check --no-deps --no-build-isolation -e . >>"$ROOT/.setup.log" 2>&1 ||
    stop "pip failed: see $ROOT/.setup.log"
  touch "$mark"
}

# need_console : the console, built from its present sources
need_console() {
  local mark=src/lentra/service/console/.built sum lock
  sum=$(find console src/lentra/api/openapi.json -path console/node_modules -prune -o -type f ! -name schema.d.ts -print0 | sort -z | xargs -0 sha256sum | sha256sum)
  [ -f "$mark" ] && [ "$(cat "$mark")" = "$sum" ] && return
  command -v npm >/dev/null || stop "Node.js 20 with npm is missing: install it, then start again"
  [ "$(node -p 'parseInt(process.versions.node)')" -ge 20 ] || stop "Node.js 20 or later is needed; this is $(node --version)"
  lock=$(sha256sum console/package-lock.json)
  if [ ! -f console/node_modules/.lentra ] || [ "$(cat console/node_modules/.lentra)" != "$lock" ]; then
    say "Installing the console's packages"
    npm ci --prefix console --no-audit --no-fund >"$ROOT/.setup.log" 2>&1 || stop "npm failed: see $ROOT/.setup.log"
    printf '%s' "$lock" >console/node_modules/.lentra
  fi
  say "Building the console"
  npm run --prefix console build >"$ROOT/.setup.log" 2>&1 || stop "the console does not build: see $ROOT/.setup.log"
  "$VENV/bin/python" -m whitenoise.compress --quiet src/lentra/service/console
  printf '%s' "$sum" >"$mark"
}

need_service() {
  need_debian mariadb-server-core mariadb-client-core libmariadb-dev pkg-config gcc
  need_python "${1:-requirements/service.lock}"
  need_console
}

# need_cluster : Galera, a proxy, and the transfer scripts of mariadb-server, without installing a server that would run by itself
need_cluster() {
  need_debian galera-4 haproxy rsync lsof socat gawk iproute2
  TRANSFERS=$ROOT/.transfers
  [ -x "$TRANSFERS/wsrep_sst_rsync" ] && return
  say "Taking MariaDB's transfer scripts out of its package"
  mkdir -p "$TRANSFERS"
  if [ -x /usr/bin/wsrep_sst_rsync ]; then
    cp /usr/bin/wsrep_sst_* "$TRANSFERS"
  else
    (cd "$TRANSFERS" && apt-get download -q mariadb-server >"$ROOT/.setup.log" 2>&1 && dpkg -x mariadb-server_*.deb package &&
      mv package/usr/bin/wsrep_sst_* . && rm -rf package mariadb-server_*.deb) || stop "apt-get failed: see $ROOT/.setup.log"
  fi
  # As root, rsync's daemon would give its rights away and could not read the data.
  sed -i 's/^\[\$MODULE\]$/uid = '"$(id -un)"'\ngid = '"$(id -gn)"'\n[$MODULE]/' "$TRANSFERS/wsrep_sst_rsync"
}

# need_name_server : BIND and dig, without installing a server that would run by itself
need_name_server() {
  export LENTRA_TRANSFERS=$ROOT/.transfers
  need_debian bind9-dnsutils bind9-libs bind9-utils libcap2 libfstrm0 libjemalloc2 libjson-c5 liblmdb0 libmaxminddb0 libnghttp2-14 \
    libprotobuf-c1 libuv1 libxml2
  [ -x "$ROOT/.transfers/named" ] && return
  say "Taking the name server out of its package"
  mkdir -p "$ROOT/.transfers"
  if [ -x /usr/sbin/named ]; then
    cp /usr/sbin/named "$ROOT/.transfers"
  else
    (cd "$ROOT/.transfers" && apt-get download -q bind9 >"$ROOT/.setup.log" 2>&1 && dpkg -x bind9_*.deb names &&
      mv names/usr/sbin/named . && rm -rf names bind9_*.deb) || stop "apt-get failed: see $ROOT/.setup.log"
  fi
}
