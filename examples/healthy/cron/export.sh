#!/bin/sh
# Every night: the timetable for the piers' screens.
set -eu
export PGHOST=quay.osmary.example
export PGPORT=5432
export PGDATABASE=sailings
export PGUSER=deckhand
psql -c "copy departures to stdout csv" > /srv/screens/departures.csv
