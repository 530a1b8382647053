#!/usr/bin/env bash
# Installs what Sieb needs and the machine lacks: PostgreSQL and Chromium from
# Debian's packages, the console's packages from npm. Where all is there it
# does nothing. "setup.sh run" leaves out what only tests need.
set -euo pipefail
cd "$(dirname "$0")/.."

need=()
ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || need+=(postgresql)
if [ "${1:-}" != run ]; then
  command -v chromium >/dev/null || need+=(chromium)
  [ -e /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || need+=(fonts-dejavu-core)
fi
if [ ${#need[@]} -gt 0 ]; then
  echo "setup: installing ${need[*]}"
  root=()
  [ "$(id -u)" = 0 ] || root=(sudo)
  "${root[@]}" apt-get update -qq
  # The package would start a server of its own; Sieb starts a private one.
  "${root[@]}" mkdir -p /etc/postgresql-common
  [ -e /etc/postgresql-common/createcluster.conf ] || echo "create_main_cluster = false" | "${root[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
  DEBIAN_FRONTEND=noninteractive "${root[@]}" apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
fi

lock=console/package-lock.json
if [ ! -e console/node_modules/.sieb ] || ! cmp -s "$lock" console/node_modules/.sieb; then
  echo "setup: installing the console's packages"
  (cd console && npm ci --no-audit --no-fund --loglevel=error)
  cp "$lock" console/node_modules/.sieb
fi
