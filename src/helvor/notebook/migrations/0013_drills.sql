-- What a person answered in drills. A case is made again from its topic, level and seed, so none is kept.

CREATE TABLE drill_answer (
    id         uuid PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES account,
    topic      text NOT NULL,
    level      smallint NOT NULL CHECK (level BETWEEN 1 AND 3),
    seed       integer NOT NULL CHECK (seed >= 0),
    given      jsonb NOT NULL,
    right_     boolean NOT NULL,
    at         timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX drill_answer_of ON drill_answer (account_id, at);
