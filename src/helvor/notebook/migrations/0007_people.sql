-- Assistants beside instructors, invitations by link, and what happened to accounts.

ALTER TABLE account DROP CONSTRAINT account_role_check;
ALTER TABLE account ADD CONSTRAINT account_role_check CHECK (role IN ('instructor', 'assistant', 'bench'));

-- The course that a class is one holding of.
ALTER TABLE class ADD COLUMN course text NOT NULL DEFAULT '';

CREATE TABLE invitation (
    id             uuid PRIMARY KEY,
    institution_id bigint NOT NULL REFERENCES institution,
    -- Of the link; the link itself is shown once and not kept.
    token_sha256   bytea NOT NULL UNIQUE,
    email          text NOT NULL CHECK (email = lower(email) AND email LIKE '%@%'),
    role           text NOT NULL CHECK (role IN ('instructor', 'assistant')),
    classes        uuid[] NOT NULL DEFAULT '{}',
    made_by        bigint NOT NULL REFERENCES account,
    made_at        timestamptz NOT NULL DEFAULT now(),
    expires_at     timestamptz NOT NULL,
    used_by        bigint REFERENCES account,
    withdrawn_at   timestamptz
);
CREATE VIEW open_invitation AS
    SELECT * FROM invitation WHERE used_by IS NULL AND withdrawn_at IS NULL AND expires_at > now();
CREATE INDEX invitation_of_institution ON invitation (institution_id, made_at);

-- Who signed in, who was given which role, whose password was set: for looking up afterwards.
CREATE TABLE account_event (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    institution_id bigint NOT NULL REFERENCES institution,
    account_id     bigint NOT NULL REFERENCES account,
    -- Who did it; nobody where it was done at the server's own terminal.
    made_by        bigint REFERENCES account,
    what           text NOT NULL CHECK (what <> ''),
    detail         text NOT NULL DEFAULT '',
    at             timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX account_event_recent ON account_event (institution_id, at DESC);
CREATE TRIGGER event_in_ink BEFORE UPDATE OR DELETE ON account_event
    FOR EACH ROW EXECUTE FUNCTION refuse_in_ink();
CREATE TRIGGER event_in_ink_whole BEFORE TRUNCATE ON account_event
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink();
