#!/usr/bin/env bash
# Passes the tests on a fresh machine that has Go and Debian's packages:
# installs what they need, only if it is missing, and runs them.
#
#	./test.sh          what CI runs
#	./test.sh --long   what is too long for that: to be run at night
set -euo pipefail
cd "$(dirname "$0")"

packages=()
[ -x /usr/sbin/apache2 ] || packages+=(apache2)
[ -x /usr/sbin/nginx ] || packages+=(nginx)
command -v caddy >/dev/null || packages+=(caddy)
[ -x /usr/sbin/haproxy ] || packages+=(haproxy)
command -v php >/dev/null || packages+=(php-cli)
compgen -G '/usr/sbin/php-fpm*' >/dev/null || packages+=(php-fpm)
compgen -G '/usr/lib/apache2/modules/libphp*.so' >/dev/null || packages+=(libapache2-mod-php)
[ -x /usr/sbin/mariadbd ] || packages+=(mariadb-server mariadb-client)
compgen -G '/usr/lib/postgresql/*/bin/postgres' >/dev/null || packages+=(postgresql postgresql-client)
[ -f /usr/share/doc/sqlite3/about.html ] || packages+=(sqlite3-doc) # hundreds of pages that are moved
command -v xmllint >/dev/null || packages+=(libxml2-utils) # the schema of sitemaps
command -v chromium >/dev/null || packages+=(chromium) # opens reports
command -v strace >/dev/null || packages+=(strace) # kills runs at each system call
command -v gcc >/dev/null || packages+=(gcc libc6-dev) # for the race detector
# The files that packages of web applications ship are fetched by a test, which needs apt's lists.
if [ ${#packages[@]} -gt 0 ] || ! apt-cache show shaarli >/dev/null 2>&1; then
	as_root=()
	[ "$(id -u)" -eq 0 ] || as_root=(sudo)
	"${as_root[@]}" apt-get update -q
	[ ${#packages[@]} -eq 0 ] || "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends "${packages[@]}"
fi
if [ ! -f /usr/share/doc/sqlite3/about.html ]; then # a machine that installs no documentation
	export YOUNG_COMPASS_DOCUMENTS=${TMPDIR:-/tmp}/young-compass-documents/usr/share/doc/sqlite3
	[ -d "$YOUNG_COMPASS_DOCUMENTS" ] || (
		mkdir -p "${YOUNG_COMPASS_DOCUMENTS%/usr/share/doc/sqlite3}" && cd "$_"
		apt-get download -q sqlite3-doc && dpkg-deb -x sqlite3-doc_*.deb .
	)
fi

# compare asks real servers the requests of the tests that are named, and shows the figures; of a failure it shows all.
compare() {
	local names=$1
	shift
	go test -count=1 -timeout 40m -parallel 8 -run "$names" -v ./internal/server "$@" >comparison.txt || {
		grep -vE '^ *(--- PASS|=== )' comparison.txt | head -c 40000
		exit 1
	}
	grep -E 'asked|met|links|limits|excepted|^ok' comparison.txt | grep -v ', plan [0-9]'
	rm comparison.txt
}

if [ "${1-}" = --long ]; then
	./build.sh check
	go test -count=1 -timeout 60m ./internal/relink -rows 100000
	go test -count=1 -timeout 60m ./internal/project -worlds 20000
	go test -count=1 -timeout 60m ./cmd/young-compass -run 'InstallIsKilled|ForeignEdit' -kills 200
	go test -count=1 -timeout 60m ./cmd/young-compass -run 'KilledAtEach|Stress|ManyAddresses' -kills 500 -stress 60s \
		-rows 1000000 -v | grep -E '^ok|bounds|FAIL'
	documents=${TMPDIR:-/tmp}/young-compass-documents/sets # real documentation in two versions, from Debian's packages
	internal/pair/testdata/documents.sh "$documents"
	go test -count=1 -timeout 60m ./internal/pair -run TestDocuments -documents "$documents" -v | grep -E '^ok|pair|FAIL'
	for seed in 6 7 8; do
		compare 'RandomPlans|PlansAtTheLimits' -seed "$seed"
	done
	exit
fi

unformatted=$(gofmt -l cmd docs internal)
[ -z "$unformatted" ] || { echo "gofmt wants: $unformatted"; exit 1; }
go vet ./...
go run honnef.co/go/tools/cmd/staticcheck@v0.8.2 ./...
mapfile -t racing < <(go list ./internal/... | grep -v /internal/database$)
CGO_ENABLED=1 go test -race -short -timeout 20m "$@" "${racing[@]}"
# what takes too long with the race detector; and what drives the program, kills it, and edits files under it
go test -count=1 ./cmd/young-compass ./internal/relink ./internal/pair ./internal/project ./internal/redirect \
	./internal/database ./internal/sitefile ./internal/probe ./internal/gather ./internal/step ./internal/planfile
# real servers: what was worked out by hand, random bytes, random plans of two generators, hostile addresses, and a
# documentation that moves
compare 'AnswersAs|FolderFiles|TheShop|LettersStay|TheScript|Guards|Install|TwoSites|Trial|RealFolders|RandomBytes|RandomPlans|PlainPlans|PlansAtTheLimits|HostileAddresses|DocumentsMove' -plans 120
./build.sh
./build.sh check windows/amd64 darwin/arm64 # each system and each processor once; all six take too long
./young-compass demo >/dev/null && echo "the demo passes"
