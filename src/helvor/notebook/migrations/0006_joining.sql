-- Benches join without accounts of their own: a short-lived code gives a tablet a session at one bench.

ALTER TABLE account ADD COLUMN role text NOT NULL DEFAULT 'instructor' CHECK (role IN ('instructor', 'bench'));

-- The account that a bench's tablets write with; it has no password and sees this bench only.
ALTER TABLE bench ADD COLUMN worker_id bigint UNIQUE REFERENCES account;

CREATE TABLE join_code (
    class_id   uuid PRIMARY KEY REFERENCES class,
    code       text NOT NULL UNIQUE,
    made_by    bigint NOT NULL REFERENCES account,
    expires_at timestamptz NOT NULL
);

-- What a session runs on, in the browser's words, so that it can be told from another.
ALTER TABLE session ADD COLUMN device text NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN id uuid NOT NULL UNIQUE DEFAULT gen_random_uuid();
