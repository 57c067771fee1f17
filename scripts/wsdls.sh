#!/bin/sh
# Fetches SOAP contracts that nobody here wrote into a folder: out of source packages of Debian, and of
# packages of npm. What cannot be fetched is left out.
set -e
into=$1
mkdir -p "$into/apt/lists/partial" "$into/apt/parts" "$into/src"
cd "$into"

for list in /etc/apt/sources.list.d/*.sources; do
	[ -f "$list" ] && sed 's/^Types:.*/Types: deb-src/' "$list" > "apt/parts/$(basename "$list")"
done
apt="apt-get -qq -o Dir::Etc::sourcelist=/dev/null -o Dir::Etc::sourceparts=$into/apt/parts -o Dir::State::lists=$into/apt/lists"
$apt update 2> /dev/null || echo "no source packages are listed here"
for package in jaxws axis mono gsoap; do
	[ -d "src/$package" ] && continue
	$apt source --download-only "$package" > /dev/null 2>&1 || true # only some of its files, maybe
	if ls "$package"_*.orig.tar.* > /dev/null 2>&1; then
		mkdir "src/$package"
		tar -xf "$package"_*.orig.tar.* -C "src/$package"
	else
		echo "no sources of $package"
	fi
done
for package in fedex@0.0.1 afip.ts@3.2.2 strong-soap@5.0.10 netsuite-js@0.0.4; do
	name=${package%@*}
	[ -d "src/$name" ] && continue
	archive=$(npm pack "$package" --silent | tail -1)
	mkdir "src/$name"
	tar -xzf "$archive" -C "src/$name"
done
