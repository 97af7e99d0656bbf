#!/usr/bin/env bash
# Passes the tests on a fresh machine that has Go and Debian's packages:
# installs what they need, only if it is missing, and runs them.
set -euo pipefail
cd "$(dirname "$0")"

packages=()
[ -x /usr/sbin/apache2 ] || packages+=(apache2)
[ -x /usr/sbin/nginx ] || packages+=(nginx)
command -v caddy >/dev/null || packages+=(caddy)
[ -x /usr/sbin/haproxy ] || packages+=(haproxy)
command -v php >/dev/null || packages+=(php-cli)
[ -x /usr/sbin/mariadbd ] || packages+=(mariadb-server mariadb-client)
compgen -G '/usr/lib/postgresql/*/bin/postgres' >/dev/null || packages+=(postgresql postgresql-client)
[ -f /usr/share/doc/sqlite3/about.html ] || packages+=(sqlite3-doc) # hundreds of pages that are moved
command -v xmllint >/dev/null || packages+=(libxml2-utils) # the schema of sitemaps
command -v gcc >/dev/null || packages+=(gcc libc6-dev) # for the race detector
if [ ${#packages[@]} -gt 0 ]; then
	as_root=()
	[ "$(id -u)" -eq 0 ] || as_root=(sudo)
	"${as_root[@]}" apt-get update -q
	"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends "${packages[@]}"
fi
if [ ! -f /usr/share/doc/sqlite3/about.html ]; then # a machine that installs no documentation
	export YOUNG_COMPASS_DOCUMENTS=${TMPDIR:-/tmp}/young-compass-documents/usr/share/doc/sqlite3
	[ -d "$YOUNG_COMPASS_DOCUMENTS" ] || (
		mkdir -p "${YOUNG_COMPASS_DOCUMENTS%/usr/share/doc/sqlite3}" && cd "$_"
		apt-get download -q sqlite3-doc && dpkg-deb -x sqlite3-doc_*.deb .
	)
fi

unformatted=$(gofmt -l cmd internal)
[ -z "$unformatted" ] || { echo "gofmt wants: $unformatted"; exit 1; }
go vet ./...
go run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...
CGO_ENABLED=1 go test -race -short -timeout 10m "$@" ./internal/...
go test -count=1 ./internal/redirect ./internal/pair ./internal/project ./internal/relink ./internal/sitefile ./internal/probe # what takes too long with the race detector
go test -count=1 ./cmd/young-compass # drives the program, kills it, and edits files under it
# real servers: what was worked out by hand, random bytes, random plans of two generators, hostile addresses, and a documentation
# that moves, with the figures
go test -count=1 -timeout 12m -parallel 6 -run 'AnswersAs|Install|TwoSites|Trial|RealFolders|RandomBytes|RandomPlans|PlainPlans|PlansAtTheLimits|HostileAddresses|DocumentsMove' -v \
	./internal/server | grep -vE 'plan [0-9]+|plan_[0-9]+|=== ' > comparison.txt || { cat comparison.txt; exit 1; }
grep -E 'asked|met|links|limits|excepted|^ok' comparison.txt
rm comparison.txt
./build.sh
./young-compass demo >/dev/null && echo "the demo passes"
