#!/bin/sh
# Makes sure that the tests have the judges and clients of others that they ask:
# xmllint, zeep and PHP's SOAP client.
missing=""
command -v xmllint >/dev/null 2>&1 || missing="$missing libxml2-utils"
/usr/bin/python3 -c 'import zeep' >/dev/null 2>&1 || missing="$missing python3-zeep"
php -m 2>/dev/null | grep -qi '^soap$' || missing="$missing php-cli php-soap"
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "installing$missing for the tests"
  # shellcheck disable=SC2086 # a list of packages
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null && exit 0
fi
echo "missing for the tests:$missing (Debian: apt-get install$missing)" >&2
exit 1
