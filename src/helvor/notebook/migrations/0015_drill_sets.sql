-- Drills that an instructor gives to a class: topics, and how often each is to be answered rightly. The newest counts.

CREATE TABLE drill_set (
    id       uuid PRIMARY KEY,
    class_id uuid NOT NULL REFERENCES class,
    given_by bigint NOT NULL REFERENCES account,
    topics   text[] NOT NULL,
    times    smallint NOT NULL CHECK (times BETWEEN 1 AND 10),
    given_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX drill_set_of ON drill_set (class_id, given_at);
