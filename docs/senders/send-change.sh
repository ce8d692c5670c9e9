#!/bin/sh
# Tells Zest Lamp that pages have changed.
#
#   ZEST_CHANGES=ADDRESS sh send-change.sh https://www.example.org/stories/storm /stories
#   ZEST_CHANGES=ADDRESS sh send-change.sh everything
#
# ADDRESS is "Address for changes" under Site, in Zest Lamp. Where a field for an HMAC is set there, give its name in
# ZEST_HMAC_FIELD and the secret in ZEST_SECRET.
set -eu
: "${ZEST_CHANGES:?Set ZEST_CHANGES to the address for changes, from Site in Zest Lamp.}"
[ $# -gt 0 ] || { echo "Name the pages that have changed, or: everything" >&2; exit 2; }

body=$(printf '%s\n' "$@")
if [ -n "${ZEST_HMAC_FIELD:-}" ]; then
  hmac=$(printf '%s' "$body" | openssl dgst -sha256 -hmac "$ZEST_SECRET" | sed 's/.*= *//')
  exec curl -sS --fail-with-body --max-time 15 -H 'content-type: text/plain' -H "$ZEST_HMAC_FIELD: $hmac" \
    --data-binary "$body" "$ZEST_CHANGES"
fi
exec curl -sS --fail-with-body --max-time 15 -H 'content-type: text/plain' --data-binary "$body" "$ZEST_CHANGES"
