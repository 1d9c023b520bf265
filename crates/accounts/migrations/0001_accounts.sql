-- Firms, their people and how these come in. No password, token or link stands here: only what tells whether one is right.
-- Append only from the first release on: a shipped file never changes. Moments are seconds since 1970, UTC.
CREATE TABLE firm (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    made_at INTEGER NOT NULL
) STRICT;

CREATE TABLE account (
    id TEXT PRIMARY KEY,
    firm_id TEXT NOT NULL REFERENCES firm (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    -- By what a person signs in, in small letters; empty once the name was deleted.
    login TEXT NOT NULL,
    role TEXT NOT NULL CHECK (role IN ('owner', 'planner', 'installer', 'electrician', 'viewer')),
    licence_number TEXT NOT NULL DEFAULT '',
    licence_country TEXT NOT NULL DEFAULT '',
    -- Argon2id, with its salt and its cost.
    password TEXT NOT NULL,
    -- The secret of a second step, once it was confirmed by a code; and the last step that was taken, so that none is taken twice.
    second_step BLOB,
    last_code_at INTEGER NOT NULL DEFAULT 0,
    made_at INTEGER NOT NULL,
    -- When they were shut out.
    shut_at INTEGER
) STRICT;
CREATE UNIQUE INDEX account_login ON account (login) WHERE login <> '';
CREATE INDEX account_firm ON account (firm_id);

-- Links that make an account, or that let one choose a new password. Each works once.
CREATE TABLE invite (
    hash BLOB PRIMARY KEY,
    -- Nothing where it makes the first firm.
    firm_id TEXT REFERENCES firm (id) ON DELETE CASCADE,
    role TEXT NOT NULL,
    name TEXT NOT NULL DEFAULT '',
    -- Whose password is chosen anew.
    account_id TEXT REFERENCES account (id) ON DELETE CASCADE,
    made_at INTEGER NOT NULL,
    until INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE session (
    id TEXT PRIMARY KEY,
    account_id TEXT NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    hash BLOB NOT NULL UNIQUE,
    -- The token before this one: it goes on until the new one was seen.
    hash_before BLOB UNIQUE,
    made_at INTEGER NOT NULL,
    used_at INTEGER NOT NULL,
    renewed_at INTEGER NOT NULL,
    -- What the browser called itself.
    agent TEXT NOT NULL
) STRICT;
CREATE INDEX session_account ON session (account_id);

-- Somebody who gave the right password and still owes a code.
CREATE TABLE half_way (
    hash BLOB PRIMARY KEY,
    account_id TEXT NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    until INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- Links for people without an account.
CREATE TABLE link (
    id TEXT PRIMARY KEY,
    hash BLOB NOT NULL UNIQUE,
    firm_id TEXT NOT NULL REFERENCES firm (id) ON DELETE CASCADE,
    made_by TEXT NOT NULL,
    job TEXT NOT NULL,
    scope TEXT NOT NULL CHECK (scope IN ('client', 'electrician', 'integrator')),
    -- The visit that an electrician comes to.
    visit TEXT NOT NULL DEFAULT '',
    -- For whom, in words.
    name TEXT NOT NULL,
    made_at INTEGER NOT NULL,
    until INTEGER NOT NULL,
    ended_at INTEGER,
    uses INTEGER NOT NULL DEFAULT 0,
    used_at INTEGER
) STRICT;
CREATE INDEX link_job ON link (firm_id, job);
