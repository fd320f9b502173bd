-- Practice runs: a story, its seed, and the choices in their order. What follows from them is worked out; what was
-- typed on the way stands in an ordinary run.

CREATE TABLE rehearsal (
    id         uuid PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES account,
    story      text NOT NULL,
    seed       integer NOT NULL CHECK (seed >= 0),
    page_id    uuid NOT NULL UNIQUE REFERENCES page,
    started_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX rehearsal_of ON rehearsal (account_id, started_at);

CREATE TABLE rehearsal_choice (
    rehearsal_id uuid NOT NULL REFERENCES rehearsal,
    place        smallint NOT NULL CHECK (place > 0),
    decision     text NOT NULL,
    choice       text NOT NULL,
    entry        uuid NOT NULL UNIQUE,
    made_at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (rehearsal_id, place),
    UNIQUE (rehearsal_id, decision)
);
