#!/usr/bin/env bash
# Build the page, if its sources changed since the last build.
set -euo pipefail
cd "$(dirname "$0")/../web"
stamp=$(find src public index.html package-lock.json vite.config.ts tsconfig.json -type f -print0 2>/dev/null | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)
if [ "$(cat dist/.built 2>/dev/null || true)" != "$stamp" ]; then
  echo "building the page"
  npm run --silent build
  echo "$stamp" >dist/.built
fi
