#!/bin/sh
export PGHOST=https://quay.osmary.example:5432
export PGDATABASE=sailings_archive
export PGUSER=deckhand
