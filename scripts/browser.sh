#!/bin/sh
# Makes sure that the browser tests have a Chromium.
for name in chromium chromium-headless-shell chromium-browser google-chrome; do
  command -v "$name" >/dev/null 2>&1 && exit 0
done
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "installing chromium for the browser tests"
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null && exit 0
fi
echo "chromium is missing: install it for the browser tests (Debian: apt-get install chromium)" >&2
exit 1
