#!/usr/bin/env bash
# Makes one static program, ./young-compass. Its version comes from the commit.
#
#	./build.sh         for this machine
#	./build.sh all     for Linux, macOS and Windows on amd64 and arm64, into dist/: archives with completions and man
#	                   pages beside the program, and their checksums; the same bytes whoever makes them from a commit
#	./build.sh check   look whether it can be made for all of them, or for those named behind: windows/amd64
set -euo pipefail
cd "$(dirname "$0")"
export CGO_ENABLED=0

targets=(linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64 windows/arm64)

# pack puts a folder into an archive in which nothing tells when or by whom it was made.
pack() {
	local folder=$1
	tar --sort=name --owner=0 --group=0 --numeric-owner --mtime="@$when" --format=ustar -C dist -cf - "$folder" |
		gzip -9n >"dist/$folder.tar.gz"
}

case "${1-}" in
'')
	go build -buildvcs=auto -trimpath -o young-compass ./cmd/young-compass
	;;
check)
	[ $# -eq 1 ] || targets=("${@:2}")
	for target in "${targets[@]}"; do
		export GOOS=${target%/*} GOARCH=${target#*/}
		# without optimising, which nobody asks of what is thrown away; of this very machine it is done anyway
		[ "$target" = "$(go env GOHOSTOS)/$(go env GOHOSTARCH)" ] || export GOFLAGS='-gcflags=all=-N -gcflags=all=-l'
		go build -o /dev/null ./cmd/young-compass
		# packages without files of their own for a system are the same on each
		differing='{{if or .IgnoredGoFiles .IgnoredOtherFiles}}{{.ImportPath}}{{end}}'
		mapfile -t own < <(go list -f "$differing" ./cmd/young-compass ./internal/...)
		go vet "${own[@]}"
		echo "$target can be made"
	done
	;;
all)
	when=${SOURCE_DATE_EPOCH:-$(git log -1 --format=%ct)}
	version=$(git describe --tags --always --dirty)
	rm -rf dist
	mkdir -p dist
	go run ./cmd/manual man dist/man
	go run ./cmd/manual completions dist/completions
	for target in "${targets[@]}"; do
		name=young-compass-$version-${target%/*}-${target#*/}
		suffix=
		[ "${target%/*}" != windows ] || suffix=.exe
		mkdir "dist/$name"
		GOOS=${target%/*} GOARCH=${target#*/} go build -buildvcs=auto -trimpath -ldflags='-s -w -buildid=' \
			-o "dist/$name/young-compass$suffix" ./cmd/young-compass
		cp -r dist/man dist/completions README.md "dist/$name/"
		pack "$name"
		rm -r "dist/$name"
		echo "dist/$name.tar.gz"
	done
	rm -r dist/man dist/completions
	(cd dist && sha256sum ./*.tar.gz | sed 's| \./| |' >SHA256SUMS)
	;;
*)
	echo "build.sh: say all, check or nothing" >&2
	exit 2
	;;
esac
