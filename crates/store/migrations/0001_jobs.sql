-- Jobs, what they hold, and every change ever made to them. Append only: a shipped file never changes.
CREATE TABLE job (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    -- The job's own fields and its calibration, as the job file writes them.
    body TEXT NOT NULL CHECK (json_valid(body)),
    revision INTEGER NOT NULL CHECK (revision >= 0),
    created_at TEXT NOT NULL,
    changed_at TEXT NOT NULL
) STRICT;

-- One row a wall, point, device …: the value as the job file writes it. Values are checked by the
-- core before they come here; SQL finds and keeps them and computes nothing.
CREATE TABLE thing (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (
        kind IN ('floor', 'wall', 'slab', 'point', 'network', 'device', 'construction', 'reading')
    ),
    id TEXT NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (job_id, kind, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE journal (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL CHECK (revision > 0),
    -- Made by the client: an edit that arrives twice is taken once.
    edit_id TEXT NOT NULL,
    client TEXT NOT NULL,
    who TEXT NOT NULL,
    at TEXT NOT NULL,
    act TEXT NOT NULL CHECK (act IN ('edit', 'undo', 'redo')),
    -- The revision that an undo takes back or a redo repeats.
    of_revision INTEGER,
    edit TEXT NOT NULL CHECK (json_valid(edit)),
    inverse TEXT NOT NULL CHECK (json_valid(inverse)),
    touched TEXT NOT NULL CHECK (json_valid(touched)),
    PRIMARY KEY (job_id, revision),
    UNIQUE (job_id, edit_id)
) STRICT, WITHOUT ROWID;

-- Plan images by the SHA-256 of their bytes.
CREATE TABLE image (
    sha256 TEXT PRIMARY KEY,
    media_type TEXT NOT NULL CHECK (media_type IN ('image/png', 'image/jpeg')),
    width_px INTEGER NOT NULL,
    height_px INTEGER NOT NULL,
    bytes BLOB NOT NULL
) STRICT;
