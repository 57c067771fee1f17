#!/bin/sh
# Makes sure that the browser tests have a Chromium: the one without windows, which is the fastest,
# else any.
command -v chromium-headless-shell >/dev/null 2>&1 && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "installing chromium-headless-shell for the browser tests"
  apt-get update -qq
  for package in chromium-headless-shell chromium; do
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" >/dev/null && exit 0
  done
fi
for name in chromium chromium-browser google-chrome; do
  command -v "$name" >/dev/null 2>&1 && exit 0
done
echo "chromium is missing: install it for the browser tests (Debian: apt-get install chromium-headless-shell)" >&2
exit 1
