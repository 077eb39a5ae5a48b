#!/usr/bin/env bash
# Measures the running program with a Library of 100 000 materials and 5 000 tags: start,
# pages, search and publishing. Prints figures; compare those of one run only. BENCH_N
# takes another count.
set -euo pipefail
bin=$(pwd)/bin/aldermoor
count=${BENCH_N:-100000}
dir=$(mktemp -d)
trap 'kill "${pid:-0}" 2>/dev/null || true; rm -rf "$dir"' EXIT
now() { date +%s%N; }
ask() { curl -s -o /dev/null -w '%{time_total}\n' -H "Authorization: Bearer $token" "$url$1"; }
sorted() { sort -n | awk -v p="$1" '{a[NR]=$1*1000} END {printf "%-46s median %6.1f ms   p95 %6.1f ms\n", p, a[int((NR+1)/2)], a[int(NR*0.95+0.5)]}'; }
serve() {
  local start=$(now)
  rm -f "$dir/log" # that of the server before names another address
  "$bin" serve --data "$dir/data" --addr 127.0.0.1:0 >"$dir/log" 2>&1 &
  pid=$!
  until url=$(grep -om1 'http://[0-9.:]*' "$dir/log" 2>/dev/null); do sleep 0.01; done
  until curl -sf -o /dev/null "$url$2"; do sleep 0.01; done
  echo "start to first answer with ${1}: $((($(now) - start) / 1000000)) ms"
  if [ -z "${token:-}" ]; then return; fi
  until curl -sf -o /dev/null -H "Authorization: Bearer $token" "$url/api/v1/library?q=wo"; do sleep 0.01; done
  echo "start to first search with ${1}: $((($(now) - start) / 1000000)) ms"
}
stop() { kill "$pid"; wait "$pid" 2>/dev/null || true; }
send() { curl -sf -o /dev/null -w '%{time_total}\n' -X "$1" -H "Authorization: Bearer $token" -H 'If-Match: *' -H 'Content-Type: application/json' -d "$3" "$url/api/v1/materials/$2"; }
publish() { send POST "$1/releases" '{"notes":"for measuring"}'; }

"$bin" station --out "$dir/scan" --sets 6 --size 256 >/dev/null
serve "an empty folder" /
stop
echo "a long password" | "$bin" user add --data "$dir/data" --user librarian --role librarian >/dev/null
token=$("$bin" token create --data "$dir/data" --user librarian --scope contribute)
serve "one account" /
(cd "$dir/scan" && tar cf ../scan.tar .)
curl -sf -H "Authorization: Bearer $token" -F "file=@$dir/scan.tar" "$url/api/v1/deliveries" >/dev/null
until curl -s -H "Authorization: Bearer $token" "$url/api/v1/deliveries/1" | grep -q '"state":"sorted"'; do sleep 0.2; done
for id in 1 2 3 4 5 6; do publish $id >/dev/null; done
until curl -s "$url/metrics" | grep -q '^aldermoor_jobs_waiting 0$'; do sleep 0.2; done
stop
"$bin" seed --data "$dir/data" --n "$count" --tags 5000 >/dev/null
serve "$count materials" /
until curl -s "$url/metrics" | grep -q '^aldermoor_jobs_waiting 0$'; do sleep 0.2; done
for path in '/library' '/library?q=wor' '/library?q=worn+slate&category=Stone' '/library?page=40&sort=name' '/api/v1/library?q=s' '/api/v1/library?q=sl&sort=name' '/api/v1/library?q=worn+slate' '/api/v1/library?q=wron+salte' '/api/v1/library?q=slate&not_tag=wet&roughness=0.2..0.8' '/api/v1/library?colour=2f4f6f' '/api/v1/library?like=slates-round' '/api/v1/library?q=worn&sort=use&cost=1000000..9000000' '/library?view=table' '/library/cards?from=50000&n=60'; do
  for _ in $(seq 5); do ask "$path" >/dev/null; done
  # Never the same twice: what was found lately is kept.
  for i in $(seq 100); do case $path in *\?*) ask "$path&min_width_m=0.0$i" ;; *) ask "$path?min_width_m=0.0$i" ;; esac; done | sorted "$path"
done
echo "memory of the server: $(awk '/VmRSS/ {printf "%d MB", $2/1024}' /proc/$pid/status), at most $(awk '/VmHWM/ {printf "%d MB", $2/1024}' /proc/$pid/status)"
# A handoff that was made, until its first byte.
taken=$(curl -sf -H "Authorization: Bearer $token" "$url/api/v1/library?q=slates+round&sort=name" | grep -om1 '"release_id":[0-9]*' | head -1 | cut -d: -f2)
curl -sf -o /dev/null -H "Authorization: Bearer $token" "$url/api/v1/releases/$taken/handoff?profile=real_time_packed" || true
for _ in $(seq 40); do curl -s -o /dev/null -w '%{time_starttransfer}\n' -H "Authorization: Bearer $token" -H 'Range: bytes=0-65535' "$url/api/v1/releases/$taken/handoff?profile=real_time_packed"; done | sorted "a handoff once more, to its first byte"
# A reader while somebody publishes, one release after another.
(for i in $(seq 60); do
  send PATCH $((1 + i % 6)) "{\"tags\":[\"number $i\"]}" >/dev/null
  publish $((1 + i % 6))
done | sorted "publishing") &
publishing=$!
for i in $(seq 100); do ask "/api/v1/library?q=sl&min_width_m=0.0$i"; done | sorted "search while somebody publishes"
wait "$publishing"
until curl -s "$url/metrics" | grep -q '^aldermoor_jobs_waiting 0$'; do sleep 0.2; done
echo "200 artists, a page a second each, nothing else going on:"
"$bin" visit --url "$url" --token "$token" --seconds 15
"$bin" station --out "$dir/more" --sets 14 --size 1024 >/dev/null
(cd "$dir/more" && tar cf ../more.tar .)
curl -sf -o /dev/null -H "Authorization: Bearer $token" -F "file=@$dir/more.tar" "$url/api/v1/deliveries"
echo "while 14 sets of 1K maps are taken in:"
"$bin" visit --url "$url" --token "$token" --seconds 15
