#!/usr/bin/env bash
# Makes one static program, ./young-compass. Its version comes from the commit.
set -euo pipefail
cd "$(dirname "$0")"
CGO_ENABLED=0 go build -buildvcs=auto -trimpath -o young-compass ./cmd/young-compass
