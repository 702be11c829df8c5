#!/usr/bin/env bash
# From one Zax to the next: deploy/update.sh /opt/zax/releases/NEW
# With the same schema no request is lost: the web processes are restarted one after the other, each once the
# other one answers. A new schema needs a stop; it is backed up first and put back when it fails.
set -euo pipefail

new=$(readlink -f "$1")
current=/opt/zax/current
old=$(readlink -f "$current")
var=$(. /etc/zax/zax.env && echo "$ZAX_VAR")

as_zax() { runuser -u zax -- env $(grep -v '^#' /etc/zax/zax.env | xargs) "$@"; }

answers() { # a port, until it takes requests
  for _ in $(seq 120); do
    if curl -sf -o /dev/null "http://127.0.0.1:$1/readyz"; then return 0; fi
    sleep 0.5
  done
  echo "Port $1 does not answer. Look at: journalctl -u zax-web@${1: -1}" >&2
  return 1
}

# The copies outside stay as they are, since they hold the clinic's own names: what this release changed is told.
changed() {
  while read -r file place; do
    cmp -s "$old/deploy/$file" "$new/deploy/$file" || echo "deploy/$file changed. Bring it over to $place."
  done <<'END'
zax.env /etc/zax/zax.env
zax-database.service /etc/systemd/system/
zax-web@.service /etc/systemd/system/
zax-worker@.service /etc/systemd/system/
hardening.conf /etc/systemd/system/zax-*.service.d/
nginx.conf /etc/nginx/sites-enabled/zax
logrotate /etc/logrotate.d/zax
END
}

schema() { ls "$1/src/zax/store/migrations/versions" | grep '^[0-9]' | sort | tail -1; }

"$new/scripts/setup.sh"
"$new/.venv/bin/python" -m compileall -q "$new/src"
if [ "$(schema "$new")" = "$(schema "$old")" ]; then
  ln -sfn "$new" "$current"
  for n in 1 2; do
    systemctl restart "zax-web@$n"
    if ! answers "841$n"; then
      ln -sfn "$old" "$current"
      systemctl restart zax-web@1 zax-web@2
      echo "It was put back: $old runs." >&2
      exit 1
    fi
  done
  systemctl restart zax-worker@short zax-worker@long
else
  systemctl stop zax-web@1 zax-web@2 zax-worker@short zax-worker@long zax-database
  if as_zax "$new/bin/zax" upgrade; then ln -sfn "$new" "$current"; else failed=1; fi
  systemctl start zax-database zax-web@1 zax-web@2 zax-worker@short zax-worker@long
  answers 8411 && answers 8412
fi
if [ "${failed:-}" ]; then
  echo "It was put back: $old runs." >&2
  exit 1
fi
echo "$new runs; its data is in $var."
changed
