#!/usr/bin/env bash
# Fetches documentation sets in two versions from Debian's packages, for TestDocuments:
#
#	internal/pair/testdata/documents.sh DIR [SET...]
#	go test ./internal/pair -run TestDocuments -documents DIR -v
#
# DIR/SET/before and DIR/SET/after are the two versions. Nothing on the machine is changed but DIR.
set -euo pipefail
dir=$(mkdir -p "$1" && cd "$1" && pwd)
shift

# set, suite and package of the version before, and of the one after; the last six were looked at only when all was done
sets='python bullseye python3.9-doc trixie python3.13-doc
django bullseye python-django-doc trixie python-django-doc
postgresql bullseye postgresql-doc-13 trixie postgresql-doc-17
erlang bullseye erlang-doc trixie erlang-doc
cmake bullseye cmake-doc trixie cmake-doc
sqlalchemy bullseye python-sqlalchemy-doc trixie python-sqlalchemy-doc
httpd bullseye apache2-doc trixie apache2-doc
wx bullseye wx3.0-doc trixie wx3.2-doc
octave bullseye octave-doc trixie octave-doc
office bullseye libreoffice-help-de trixie libreoffice-help-de
exim bullseye exim4-doc-html trixie exim4-doc-html
sqlite bullseye sqlite3-doc trixie sqlite3-doc
handbook bullseye debian-handbook bookworm debian-handbook
installation bullseye installation-guide-amd64 trixie installation-guide-amd64
numpy bullseye python-numpy-doc trixie python-numpy-doc
gimp bullseye gimp-help-en trixie gimp-help-en
glib bullseye libglib2.0-doc trixie libglib2.0-doc
lilypond bullseye lilypond-doc-html trixie lilypond-doc-html
matplotlib bullseye python-matplotlib-doc trixie python-matplotlib-doc
maxima bullseye maxima-doc trixie maxima-doc
scipy bullseye python-scipy-doc trixie python-scipy-doc
sphinx bullseye sphinx-doc trixie sphinx-doc
pascal bullseye fp-docs-3.2.0 trixie fp-docs-3.2.2
pandas bullseye python-pandas-doc trixie python-pandas-doc
gtk bullseye libgtk-3-doc trixie libgtk-4-doc
gimpfr bullseye gimp-help-fr trixie gimp-help-fr'

apt="$dir/.apt"
mkdir -p "$apt/lists/partial" "$apt/archives/partial"
# the mirror from which this machine has its packages
mirror=$(apt-get indextargets --format '$(REPO_URI)' 'Created-By: Packages' | grep -m1 '/debian/$')
for suite in bullseye bookworm trixie; do
	echo "deb [signed-by=/usr/share/keyrings/debian-archive-keyring.gpg] $mirror $suite main"
done >"$apt/sources.list"
options=(-q -o Dir::Etc::sourcelist="$apt/sources.list" -o Dir::Etc::sourceparts=/nonexistent
	-o Dir::State::lists="$apt/lists" -o Dir::Cache="$apt")
[ -f "$apt/fresh" ] || { apt-get "${options[@]}" update && touch "$apt/fresh"; }

# fetch SUITE PACKAGE FOLDER
fetch() {
	[ ! -d "$3" ] || return 0
	mkdir -p "$3.part" && (cd "$3.part" && apt-get "${options[@]}" download "$2/$1" && dpkg-deb -x ./*.deb . && rm ./*.deb)
	mv "$3.part" "$3"
}

while read -r set before_suite before after_suite after; do
	[ $# -eq 0 ] || [[ " $* " == *" $set "* ]] || continue
	mkdir -p "$dir/$set"
	fetch "$before_suite" "$before" "$dir/$set/before"
	fetch "$after_suite" "$after" "$dir/$set/after"
done <<<"$sets"
