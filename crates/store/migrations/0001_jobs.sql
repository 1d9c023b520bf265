-- Jobs: what is planned, every change ever made to that, and what happened. Append only from the first release on:
-- a shipped file never changes.
CREATE TABLE job (
    id TEXT PRIMARY KEY,
    -- By what a job file knows its job again, on every machine.
    uid TEXT NOT NULL UNIQUE,
    name TEXT NOT NULL,
    -- How often the plan was changed or the record grew.
    revision INTEGER NOT NULL CHECK (revision >= 0),
    created_at TEXT NOT NULL,
    changed_at TEXT NOT NULL,
    -- A variant is a branch of a plan with a name, that says of which, and what that was when it branched off.
    variant_of TEXT REFERENCES job (id) ON DELETE CASCADE,
    variant_name TEXT,
    branched_off TEXT,
    -- One that nobody looks at any longer is put aside, never lost.
    put_aside INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX job_variants ON job (variant_of) WHERE variant_of IS NOT NULL;

-- One row a wall, point, device …: the value as the job file writes it, in the format of this number. Values are
-- checked by the core before they come here; SQL finds and keeps them and computes nothing.
CREATE TABLE thing (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind <> ''),
    id TEXT NOT NULL,
    format INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (job_id, kind, id)
) STRICT, WITHOUT ROWID;

-- Every change of a plan, with what takes it back.
CREATE TABLE journal (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL CHECK (revision > 0),
    -- Made by the client: an edit that arrives twice is taken once.
    edit_id TEXT NOT NULL,
    client TEXT NOT NULL,
    who TEXT NOT NULL,
    -- Whose it is to undo.
    author TEXT NOT NULL,
    at TEXT NOT NULL,
    act TEXT NOT NULL CHECK (act IN ('edit', 'undo', 'redo')),
    -- The revision that an undo takes back or a redo repeats, and the one that took this back.
    of_revision INTEGER,
    undone_by INTEGER,
    edit TEXT NOT NULL CHECK (json_valid(edit)),
    inverse TEXT NOT NULL CHECK (json_valid(inverse)),
    touched TEXT NOT NULL CHECK (json_valid(touched)),
    PRIMARY KEY (job_id, revision),
    UNIQUE (job_id, edit_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX journal_undoable ON journal (job_id, author, revision)
    WHERE undone_by IS NULL AND act <> 'undo';
CREATE INDEX journal_redoable ON journal (job_id, author, revision)
    WHERE undone_by IS NULL AND act = 'undo';
CREATE INDEX journal_edits ON journal (job_id, author, revision) WHERE act = 'edit';

-- What happened: rows are added, and nothing else is ever done to them.
CREATE TABLE entry (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    -- Counts from 1 without a gap.
    seq INTEGER NOT NULL CHECK (seq > 0),
    -- Made by the client: an entry that arrives twice is taken once.
    id TEXT NOT NULL,
    -- By what the request was known that it came with, and the revision that it made; 0 where the
    -- job was brought in with it.
    edit_id TEXT NOT NULL,
    revision INTEGER NOT NULL CHECK (revision >= 0),
    client TEXT NOT NULL,
    -- What happened, by its word.
    did TEXT NOT NULL,
    format INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (job_id, seq),
    UNIQUE (job_id, id)
) STRICT, WITHOUT ROWID;
CREATE INDEX entry_requests ON entry (job_id, edit_id);
CREATE INDEX entry_did ON entry (did, job_id, seq);
CREATE TRIGGER entry_stays BEFORE UPDATE ON entry
BEGIN
    SELECT RAISE(ABORT, 'what is on record is never changed');
END;

-- Written by whoever asks whether the database takes anything.
CREATE TABLE probe (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    times INTEGER NOT NULL
) STRICT;

-- Plan images and photos by the SHA-256 of their bytes.
CREATE TABLE image (
    sha256 TEXT PRIMARY KEY,
    media_type TEXT NOT NULL CHECK (media_type IN ('image/png', 'image/jpeg')),
    width_px INTEGER NOT NULL,
    height_px INTEGER NOT NULL,
    bytes BLOB NOT NULL
) STRICT;
