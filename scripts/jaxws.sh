#!/bin/sh
# Installs Java's SOAP client, where it is missing. It takes a few hundred megabytes.
set -e
command -v wsimport > /dev/null && command -v javac > /dev/null && exit 0
apt-get install -y -qq --no-install-recommends default-jdk-headless jaxws libjaxws-java > /dev/null
