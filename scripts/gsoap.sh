#!/bin/sh
# Installs gSOAP's generators and library, and a compiler of C++, where they are missing.
set -e
command -v wsdl2h > /dev/null && command -v soapcpp2 > /dev/null && command -v g++ > /dev/null && [ -f /usr/include/stdsoap2.h ] && exit 0
apt-get install -y -qq --no-install-recommends gsoap libgsoap-dev g++ > /dev/null
