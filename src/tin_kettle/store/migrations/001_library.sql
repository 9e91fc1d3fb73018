CREATE TABLE records (
    id INTEGER PRIMARY KEY,
    title TEXT NOT NULL,
    artist TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TABLE sources (
    sha256 TEXT PRIMARY KEY,
    suffix TEXT NOT NULL,
    name TEXT NOT NULL,
    format TEXT NOT NULL,
    rate_hz INTEGER NOT NULL,
    channels INTEGER NOT NULL,
    frames INTEGER NOT NULL
) STRICT;

CREATE TABLE songs (
    id INTEGER PRIMARY KEY,
    record_id INTEGER NOT NULL REFERENCES records (id),
    place INTEGER NOT NULL,
    title TEXT NOT NULL,
    revision_id INTEGER REFERENCES revisions (id) DEFERRABLE INITIALLY DEFERRED,
    view TEXT NOT NULL DEFAULT '{}'
) STRICT;

CREATE TABLE song_sources (
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    bus_id TEXT NOT NULL,
    sha256 TEXT NOT NULL REFERENCES sources (sha256),
    PRIMARY KEY (song_id, bus_id)
) STRICT;

-- Every edit is a row; undo and redo only move songs.revision_id. Nothing is overwritten.
CREATE TABLE revisions (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    parent_id INTEGER REFERENCES revisions (id),
    label TEXT NOT NULL,
    recipe TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX revisions_by_parent ON revisions (parent_id);
CREATE INDEX revisions_by_song ON revisions (song_id);

CREATE TABLE prints (
    id INTEGER PRIMARY KEY,
    song_id INTEGER NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
    revision_id INTEGER NOT NULL REFERENCES revisions (id),
    file_name TEXT NOT NULL,
    settings TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('running', 'done', 'failed', 'stopped')),
    problem TEXT,
    clipped INTEGER,
    measures TEXT,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX prints_by_song ON prints (song_id);
CREATE INDEX prints_by_revision ON prints (revision_id);
CREATE INDEX songs_by_record ON songs (record_id);
CREATE INDEX song_sources_by_source ON song_sources (sha256);
