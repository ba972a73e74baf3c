#!/usr/bin/env bash
# Installs what a machine lacks: Debian's packages named as arguments' groups
# ("run" for the workbench, "test" for the tests as well), and the npm packages.
set -euo pipefail
cd "$(dirname "$0")/.."

need=()
ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || need+=(postgresql)
if [ "${1:-run}" = test ]; then
  command -v chromium >/dev/null 2>&1 || need+=(chromium)
  command -v tshark >/dev/null 2>&1 || need+=(tshark)
fi
if [ "${#need[@]}" -gt 0 ]; then
  if [ "$(id -u)" -eq 0 ]; then as=(); else as=(sudo); fi
  echo "installing ${need[*]}"
  export DEBIAN_FRONTEND=noninteractive
  "${as[@]}" apt-get update -q
  "${as[@]}" apt-get install -y -q --no-install-recommends "${need[@]}"
fi
for tool in go node npm; do
  command -v "$tool" >/dev/null 2>&1 || { echo "$tool is missing: install Go 1.26 and Node 20 or newer" >&2; exit 1; }
done
if [ ! -f web/node_modules/.package-lock.json ] || [ web/package-lock.json -nt web/node_modules/.package-lock.json ]; then
  (cd web && npm ci --no-audit --no-fund --loglevel=error)
  touch web/node_modules/.package-lock.json
fi
