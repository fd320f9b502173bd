-- Reports that take a while: how far they are, and what came of it. A projection: it can be made again.

CREATE TABLE report_job (
    id         uuid PRIMARY KEY,
    class_id   uuid NOT NULL REFERENCES class,
    account_id bigint NOT NULL REFERENCES account,
    done       integer NOT NULL DEFAULT 0,
    parts      integer NOT NULL,
    content    bytea,
    trouble    text NOT NULL DEFAULT '',
    told_at    timestamptz NOT NULL DEFAULT now()
);
