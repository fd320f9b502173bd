-- A link that lets somebody choose a new password: made by an instructor of the institution, or at the terminal.

CREATE TABLE password_reset (
    -- Of the link; the link itself is shown once and not kept.
    token_sha256 bytea PRIMARY KEY,
    account_id   bigint NOT NULL REFERENCES account,
    made_by      bigint REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now(),
    expires_at   timestamptz NOT NULL,
    used_at      timestamptz
);
CREATE INDEX password_reset_of ON password_reset (account_id);
