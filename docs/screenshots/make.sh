#!/usr/bin/env bash
# Makes the pictures of this folder anew, from the demo's data. Wants Debian's xterm, xvfb, imagemagick, xdotool and
# chromium.
#
#	docs/screenshots/make.sh [NAME...]
set -euo pipefail
cd "$(dirname "$0")/../.."
pictures=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null || true; rm -rf "$work"' EXIT
CGO_ENABLED=0 go build -trimpath -o "$work/bin/young-compass" ./cmd/young-compass
export PATH=$work/bin:$PATH DISPLAY=:77 LANG=C.UTF-8 TERM=xterm-256color
Xvfb :77 -screen 0 1280x800x24 >/dev/null 2>&1 &
young-compass demo --keep "$work/demo" --hold >"$work/demo.txt" 2>&1 &
for _ in $(seq 300); do
	grep -q 'Interrupt to end' "$work/demo.txt" && break
	sleep 0.2
done
cd "$work/demo"
neglected="--at 127.0.0.1:18082,18445 --at staging.skerrywick.example=127.0.0.1:18082,18445 --ca neglected-site.pem"
moved="--at 127.0.0.1:18081,18444 --ca new-site.pem"

wanted() { [ ${#names[@]} -eq 0 ] || [[ " ${names[*]} " == *" $1 "* ]]; }
names=("$@")

# shot takes a picture of a terminal in which commands have run; KEYS are pressed before.
shot() {
	local name=$1 commands=$2 keys=${3-}
	wanted "$name" || return 0
	printf '%s\n' 'PS1=' "$commands" "touch '$work/ready'" 'sleep 60' >"$work/script"
	rm -f "$work/ready"
	xterm -geometry 158x46+0+0 -fa Monospace -fs 10 -bg white -fg black +sb -e bash "$work/script" &
	local terminal=$!
	if [ -n "$keys" ]; then
		sleep 4
		xdotool mousemove 300 300
		for key in $keys; do xdotool key "$key"; sleep 0.3; done
	else
		for _ in $(seq 150); do [ -e "$work/ready" ] && break; sleep 0.2; done
	fi
	sleep 1
	import -window root "$pictures/$name.png"
	kill $terminal
	wait $terminal 2>/dev/null || true
	echo "$name"
}

# told shows a command, and runs it.
told() { printf "printf '\\\\033[1m\$ %%s\\\\033[0m\\\\n' %q; %s\n" "$1" "$1"; }
# first is told, but shows the first lines alone.
first() {
	printf "printf '\\\\033[1m\$ %%s\\\\033[0m\\\\n' %q; COLUMNS=157 %s --color always 2>/dev/null | head -43\n" "$1" "$1"
}

mkdir -p "$work/first" && cp old-site.csv "$work/first" && cp -r sources "$work/first"
shot propose "cd '$work/first'; $(first 'young-compass propose old-site.csv sources/sitemap-index.xml sources/access.log')"
mkdir -p "$work/gathering" && cp -r old-site.csv sources "$work/gathering" && cp young-compass.yaml "$work/gathering"
shot gather "cd '$work/gathering'; $(first 'young-compass gather old-site.csv sources/notices.atom sources/access.log')"
(cd "$work/gathering" && cp "$pictures/../../internal/demo/data/redirects.csv" . && young-compass gather old-site.csv sources/access.log --quiet >/dev/null 2>&1)
shot design "cd '$work/gathering'; $(first 'young-compass design --collide number --sample 12')"
shot lint "cd '$work/gathering'; $(first 'young-compass lint')"
shot redirects "$(first 'young-compass redirects check old-redirects.csv')"
cp "$PWD/visits.csv" "$work/visits.csv"
shot coverage "cd '$work/gathering'; young-compass design --collide number --write --quiet >/dev/null 2>&1; $(told 'young-compass redirects coverage --sample 12')"
shot review "$(told 'young-compass pair island-guide.csv . --output pairs.csv --review')" "Down Down"
shot relink "cp content/index.html.*bak content/index.html; cp content/content.sql.*bak content/content.sql; $(first 'young-compass relink content')"
shot sitemap "$(told 'young-compass emit sitemap'); $(told 'young-compass emit robots'); $(told 'young-compass emit head --as csv'); $(told 'head -24 out/sitemap/sitemap.xml | cut -c1-157')"
shot steps "$(told 'young-compass steps'); $(told 'young-compass steps duplicates')"
shot trace "$(told 'young-compass trace --explain /Guides/Tides.html "/index.php?sec=route&item=214&lang=de&utm_source=letter"')"
cat >host.htaccess <<'END'
RewriteEngine On
RewriteCond %{HTTP_HOST} ^skerrywick\.example$ [NC]
RewriteRule ^(.*)$ https://www.skerrywick.example/$1 [R=301,L]
RewriteRule ^old/(.*)$ /archive/$1 [R=301,L]
Redirect 301 /prices.htm /tickets.cfm
END
shot install "$(first 'young-compass emit php --dry-run --install host.htaccess')"
shot serve "$(told 'young-compass serve --admin 127.0.0.1:18091 --http 127.0.0.1:18090 --https 127.0.0.1:18490') & sleep 2; for path in /contact /CONTACT/ /Guides/Tides.html '/index.php?sec=route&item=214&lang=de' /nothing; do curl -s -o /dev/null --connect-to ::127.0.0.1:18090 \"http://www.skerrywick.example\$path\"; done; sleep 1"
shot hosts "$(told "young-compass probe hosts --rows 34 $moved")"
shot canonicals "$(first "young-compass probe canonicals --rows 6 $neglected")"
shot languages "$(first "young-compass probe languages --rows 20 $neglected")"
shot explain "$(told "young-compass probe explain '/notices?page=2' $neglected")"
shot demo "tail -44 '$work/demo.txt' | cut -c1-157"
if wanted report; then
	young-compass report --output report.html --title 'Skerrywick Ferries: a year after the move' >/dev/null 2>&1
	chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --window-size=1280,800 \
		--screenshot="$pictures/report.png" "file://$PWD/report.html" >/dev/null 2>&1
	echo report
fi
