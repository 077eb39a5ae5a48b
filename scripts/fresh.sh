#!/usr/bin/env bash
# Proves that the committed styles, fonts, icons and scripts are what their
# sources build to.
set -euo pipefail
before=$(find internal/web/static web/api.d.ts -type f | sort | xargs sha256sum | sha256sum)
npm run --silent build >/dev/null 2>&1
after=$(find internal/web/static web/api.d.ts -type f | sort | xargs sha256sum | sha256sum)
if [ "$before" != "$after" ]; then
  echo "The built files were stale. They have been built anew: commit internal/web/static and web/api.d.ts." >&2
  exit 1
fi
