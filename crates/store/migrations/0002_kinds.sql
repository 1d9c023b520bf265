-- Kinds of things are named by the program alone, so that a new kind needs no new table.
CREATE TABLE thing_of_any_kind (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind <> ''),
    id TEXT NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (job_id, kind, id)
) STRICT, WITHOUT ROWID;
INSERT INTO thing_of_any_kind SELECT job_id, kind, id, body FROM thing;
DROP TABLE thing;
ALTER TABLE thing_of_any_kind RENAME TO thing;
