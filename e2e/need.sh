#!/bin/sh
# Installs what the tests use where it is missing and can be had: a browser to compare
# with. Without one the tests compare with pictures that it made before, and with "told"
# this says so, last, where it is seen. Where CI is set the tests fail without a browser.
set -u
command -v chromium >/dev/null 2>&1 && exit 0
if [ "${1:-}" = told ]; then
  echo "NOTE: there is no browser here: what a browser shows was compared with its pictures of before, or not at all"
  exit 0
fi
if command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
  (apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q chromium) >/dev/null 2>&1 || true
fi
exit 0
