-- Passkeys: what checks a signature of somebody's machine, and what was last told of it.
CREATE TABLE passkey (
    -- The credential's id, as the machine chose it.
    id BLOB PRIMARY KEY,
    account_id TEXT NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    -- The public key and what holds of it for good.
    key BLOB NOT NULL,
    -- What changes with each use: its counter, whether it is kept elsewhere too.
    state BLOB NOT NULL,
    made_at INTEGER NOT NULL,
    used_at INTEGER
) STRICT;
CREATE INDEX passkey_account ON passkey (account_id);

-- By what a machine knows whose passkey it is: chance, and nothing of the person.
ALTER TABLE account ADD COLUMN handle BLOB;

-- For how many years after its last change a job is kept, before somebody is asked to delete it; 0 for good.
ALTER TABLE firm ADD COLUMN keep_years INTEGER NOT NULL DEFAULT 0;
