# Shared by the scripts: what a fresh Debian machine still needs. Sourced, not run.
top=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$top"

say() { echo "$*" >&2; }

# need_packages PROGRAM:PACKAGE ... installs the Debian package of each program that is not there.
need_packages() {
  local missing=() pair program package
  for pair in "$@"; do
    program=${pair%%:*} package=${pair#*:}
    PATH="$PATH:/usr/sbin" command -v "$program" >/dev/null || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  local root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null && sudo -n true 2>/dev/null || {
      say "These Debian packages are missing, and installing them needs root: ${missing[*]}. Run: sudo apt-get install ${missing[*]}"; exit 1; }
    root=(sudo)
  fi
  command -v apt-get >/dev/null || { say "These programs are missing, and this is no Debian machine: ${missing[*]}. Install them its own way."; exit 1; }
  say "Installing ${missing[*]} …"
  # Only what the private server needs is installed: no package here starts a service of its own.
  { "${root[@]}" apt-get update -qq && DEBIAN_FRONTEND=noninteractive "${root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >/tmp/graupel-apt.log 2>&1 || {
    say "Debian's packages ${missing[*]} could not be installed: $(tail -1 /tmp/graupel-apt.log) (all of it is in /tmp/graupel-apt.log)."; exit 1; }
}

# need_python LOCK makes .venv from a lock file, and again when the lock file has changed.
need_python() {
  local python lock="requirements/$1.lock"
  python=$(command -v python3.11 || command -v python3) || { say "Python 3.11 is missing. Run: sudo apt-get install python3 python3-venv"; exit 1; }
  "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { say "Python 3.11 or newer is needed; $python is older. Run: sudo apt-get install python3.11 python3.11-venv"; exit 1; }
  local stamp=".venv/graupel-$1.stamp"
  [ -f "$stamp" ] && cmp -s "$lock" "$stamp" && [ -x .venv/bin/graupel ] && return
  "$python" -c 'import ensurepip, venv' 2>/dev/null || need_packages "ensurepip-is-missing:python3-venv"
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  say "Installing Python packages from $lock …"
  .venv/bin/python -m pip install --disable-pip-version-check -q -r "$lock" setuptools wheel || { say "Python packages could not be installed from $lock; see above."; exit 1; }
  .venv/bin/python -m pip install --disable-pip-version-check -q --no-deps --no-build-isolation -e . || { say "Graupel itself could not be installed into .venv; see above."; exit 1; }
  cp "$lock" "$stamp"
}

need_mariadb() { need_packages mariadbd:mariadb-server-core mariadb-install-db:mariadb-server-core my_print_defaults:mariadb-client-core; }

# need_biome installs what checks the browser's scripts, and again when its lock file has changed.
biome=scripts/lint.d/node_modules/.bin/biome
need_biome() {
  local folder=scripts/lint.d
  [ -x "$biome" ] && cmp -s $folder/package-lock.json $folder/node_modules/graupel.stamp && return
  need_packages node:nodejs npm:npm
  say "Installing what checks the browser's scripts …"
  (cd $folder && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error) || { say "It could not be installed from $folder; see above."; exit 1; }
  cp $folder/package-lock.json $folder/node_modules/graupel.stamp
}
