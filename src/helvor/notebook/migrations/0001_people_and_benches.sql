-- Who works where. A class has numbered benches; an instructor has a front bench of their own.

CREATE TABLE institution (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL CHECK (name <> ''),
    time_zone  text NOT NULL DEFAULT 'Europe/London'
);

CREATE TABLE account (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    institution_id bigint NOT NULL REFERENCES institution,
    email          text NOT NULL CHECK (email = lower(email) AND email LIKE '%@%'),
    name           text NOT NULL CHECK (name <> ''),
    password_hash  text NOT NULL,
    is_demo        boolean NOT NULL DEFAULT false,
    created_at     timestamptz NOT NULL DEFAULT now(),
    UNIQUE (email)
);

CREATE TABLE class (
    id             uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    institution_id bigint NOT NULL REFERENCES institution,
    code           text NOT NULL CHECK (code <> ''),
    title          text NOT NULL,
    created_at     timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE instructor_of (
    class_id   uuid NOT NULL REFERENCES class,
    account_id bigint NOT NULL REFERENCES account,
    PRIMARY KEY (class_id, account_id)
);
CREATE INDEX instructor_of_account ON instructor_of (account_id);

CREATE TABLE meeting (
    class_id  uuid NOT NULL REFERENCES class,
    number    smallint NOT NULL CHECK (number > 0),
    starts_at timestamptz NOT NULL,
    ends_at   timestamptz NOT NULL CHECK (ends_at > starts_at),
    topic     text NOT NULL DEFAULT '',
    PRIMARY KEY (class_id, number)
);

CREATE TABLE bench (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    class_id   uuid REFERENCES class,
    account_id bigint REFERENCES account,
    number     smallint CHECK (number > 0),
    pair       text NOT NULL DEFAULT '',
    CHECK ((class_id IS NOT NULL AND number IS NOT NULL AND account_id IS NULL)
        OR (class_id IS NULL AND number IS NULL AND account_id IS NOT NULL)),
    UNIQUE (class_id, number),
    UNIQUE (account_id)
);

CREATE TABLE session (
    token_sha256 bytea PRIMARY KEY,
    account_id   bigint NOT NULL REFERENCES account,
    csrf         text NOT NULL,
    created_at   timestamptz NOT NULL DEFAULT now(),
    expires_at   timestamptz NOT NULL
);

CREATE TABLE sign_in_attempt (
    at      timestamptz NOT NULL DEFAULT now(),
    email   text NOT NULL,
    address text NOT NULL,
    ok      boolean NOT NULL
);
CREATE INDEX sign_in_attempt_recent ON sign_in_attempt (at);
