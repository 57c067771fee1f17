#!/bin/sh
# Takes the pictures in docs/screenshots from a demo of its own: the pages in
# Chromium, the commands in a terminal window under Xvfb.
# Debian's packages: chromium xvfb xterm imagemagick fonts-dejavu-core
set -eu
cd "$(dirname "$0")/.."
out=docs/screenshots
mkdir -p "$out"
for tool in Xvfb xterm import; do
  command -v $tool >/dev/null || { echo "$tool is missing (apt-get install xvfb xterm imagemagick)" >&2; exit 1; }
done

control=127.0.0.1:7400 traffic=127.0.0.1:7401
bin/rapidmimic demo --control $control --traffic $traffic >/dev/null &
demo=$!
Xvfb :97 -screen 0 872x612x24 >/dev/null 2>&1 &
xvfb=$!
trap 'kill $demo $xvfb 2>/dev/null || true' EXIT
sleep "${SCREENSHOT_AFTER:-45}" # until the harbour office has made some calls

go run ./e2e/screenshots -control "http://$control" -out "$out"
bin/rapidmimic recording stop moorings --only-keep >/dev/null

# terminal NAME COMMANDS: a window that shows the commands and what they print
terminal() {
  DISPLAY=:97 xterm -geometry 108x36+0+0 -fa 'DejaVu Sans Mono' -fs 10 -bg '#0f1615' -fg '#e4ecea' +sb -e \
    env PATH="$PWD/bin:$PATH" PS1= sh -c "$(printf '%s\n' "$2" | while read -r line; do printf "printf '\\\\033[36m\$\\\\033[0m %%s\\\\n' '%s'; %s; echo; " "$line" "$line"; done) sleep 20" &
  window=$!
  sleep 3
  DISPLAY=:97 import -window root "$out/$1.png"
  kill $window 2>/dev/null || true
}

terminal cli-scenario 'rapidmimic scenario use bad-night --for 10m
rapidmimic lane open run-7 --scenario no-free-berth --ttl 30m
curl -s http://127.0.0.1:7401/@run-7/moorings/berths
rapidmimic calls assert moorings bookBerth --lane run-7 --times 1
rapidmimic status --lane run-7'
bin/rapidmimic scenario off >/dev/null
bin/rapidmimic lane close run-7 >/dev/null
terminal cli-import 'rapidmimic import demo/data/moorings.yaml --name north-pier
curl -s http://127.0.0.1:7401/north-pier/berths/N7
rapidmimic service list
rapidmimic service show north-pier'
terminal cli-calls 'rapidmimic calls --last 12
rapidmimic calls --text miss --last 3'
export RAPIDMIMIC_AS=Ida
bin/rapidmimic mapping put north-pier -f demo/data/moorings.mappings.yaml >/dev/null
terminal cli-mapping 'rapidmimic mapping label north-pier booking-refused --add night
rapidmimic mapping list north-pier
rapidmimic mapping history north-pier booking-refused
rapidmimic mapping compare north-pier booking-refused'
bin/rapidmimic service remove north-pier >/dev/null
