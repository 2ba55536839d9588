#!/usr/bin/env bash
# Installs what is missing, builds Assay, and runs the full example on made-up data.
#
#   ./demo.sh [FOLDER]    puts programs, data and findings into FOLDER (default assay-demo)
set -euo pipefail
cd "$(dirname "$0")"
source scripts/packages.sh
install_packages
cmake --preset release
cmake --build --preset release --target assay_tool towpath_all assay_allocations -j "$(nproc)"  # each compilation takes up to 1.7 GB
exec build/release/bin/assay demo "${1:-assay-demo}"
