#!/bin/sh
# Installs what is missing, then runs the command: demo, test or check.
set -e
cd "$(dirname "$0")/.."
if ! [ -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
  echo "Installing packages from the lock file ..."
  npm ci --no-audit --no-fund --loglevel=error
  touch node_modules/.package-lock.json
fi
# The bucket client would otherwise tell every start of its plans for later Node versions.
export AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED=true
command=$1
shift
exec node scripts/run.mjs "scripts/$command.ts" "$@"
