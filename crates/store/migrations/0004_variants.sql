-- A variant is a branch of a job with a name: a job of its own, with edits, undo and a journal, that says
-- of which it is a branch, and what that was when it branched off.
ALTER TABLE job ADD COLUMN variant_of TEXT REFERENCES job (id);
ALTER TABLE job ADD COLUMN variant_name TEXT;
ALTER TABLE job ADD COLUMN branched_off TEXT;
-- One that nobody looks at any longer is put aside, never lost.
ALTER TABLE job ADD COLUMN put_aside INTEGER NOT NULL DEFAULT 0;
CREATE INDEX job_variants ON job (variant_of) WHERE variant_of IS NOT NULL;
