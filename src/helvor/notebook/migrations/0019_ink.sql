-- Ink by the database itself, whoever is connected: nothing that is on record is changed, deleted or emptied. The one
-- exception takes names out of free words, through one function; see rights.py for which role may do what.

-- A row without a kind passed the check that compares it: NULL is not false.
ALTER TABLE entry DROP CONSTRAINT entry_check;
ALTER TABLE entry ADD CONSTRAINT entry_says_its_kind CHECK ((payload ->> 'kind') IS NOT DISTINCT FROM kind);
ALTER TABLE room_entry DROP CONSTRAINT room_entry_check;
ALTER TABLE room_entry ADD CONSTRAINT room_entry_says_its_kind CHECK ((payload ->> 'kind') IS NOT DISTINCT FROM kind);

-- Records that are taken over keep the time at which they were written; when they came in is the database's own.
ALTER TABLE entry ADD COLUMN recorded_at timestamptz NOT NULL DEFAULT now();

-- Which records had a name taken out, by whom and when; no name stands here.
CREATE TABLE name_taken_out (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    what       text NOT NULL,
    record     uuid NOT NULL,
    account_id bigint NOT NULL REFERENCES account,
    at         timestamptz NOT NULL DEFAULT now()
);

-- Whether one text comes of another by putting dashes in the place of words, and by nothing else.
CREATE FUNCTION only_dashed(old text, new text) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
    SELECT old IS NOT DISTINCT FROM new OR (position('—' IN new) > 0 AND old ~ (
        '^' || replace(regexp_replace(new, '([.^$*+?()\[\]{}|\\])', '\\\1', 'g'), '—', '.*') || '$'
    ))
$$;

-- The same for an entry: the same fields, and every reading, label and choice as it was.
CREATE FUNCTION only_names_dashed(old jsonb, new jsonb) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
    SELECT (SELECT array_agg(k ORDER BY k) FROM jsonb_object_keys(old) k)
            = (SELECT array_agg(k ORDER BY k) FROM jsonb_object_keys(new) k)
        AND NOT EXISTS (
            SELECT FROM jsonb_each(old) o JOIN jsonb_each(new) n USING (key)
            WHERE o.value <> n.value AND NOT CASE
                WHEN o.key IN ('words', 'why', 'who', 'source', 'make_up', 'what', 'done', 'name')
                    AND jsonb_typeof(o.value) = 'string' AND jsonb_typeof(n.value) = 'string'
                    THEN only_dashed(o.value #>> '{}', n.value #>> '{}')
                WHEN o.key IN ('picks', 'accidents') AND jsonb_typeof(o.value) = 'array'
                    AND jsonb_typeof(n.value) = 'array'
                    THEN jsonb_array_length(o.value) = jsonb_array_length(n.value) AND NOT EXISTS (
                        SELECT FROM jsonb_array_elements_text(o.value) WITH ORDINALITY a (said, place)
                            JOIN jsonb_array_elements_text(n.value) WITH ORDINALITY b (says, place) USING (place)
                        WHERE NOT only_dashed(a.said, b.says))
                ELSE false
            END
        )
$$;

CREATE OR REPLACE FUNCTION refuse_in_ink() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    free constant text[] := CASE TG_TABLE_NAME
        WHEN 'entry' THEN ARRAY['payload', 'reason'] WHEN 'room_entry' THEN ARRAY['payload', 'reason']
        WHEN 'attachment' THEN ARRAY['name'] WHEN 'photograph' THEN ARRAY['name'] ELSE ARRAY[]::text[] END;
    was jsonb;
    becomes jsonb;
BEGIN
    -- Only as the owner of the table, which no one who serves can be but inside take_name_out.
    IF TG_OP = 'UPDATE' AND free <> ARRAY[]::text[]
        AND current_user = (SELECT pg_get_userbyid(relowner) FROM pg_class WHERE oid = TG_RELID) THEN
        was := to_jsonb(OLD);
        becomes := to_jsonb(NEW);
        IF was - free = becomes - free
            AND only_dashed(was ->> 'reason', becomes ->> 'reason')
            AND only_dashed(was ->> 'name', becomes ->> 'name')
            AND (NOT was ? 'payload' OR only_names_dashed(was -> 'payload', becomes -> 'payload')) THEN
            RETURN NEW;
        END IF;
    END IF;
    RAISE EXCEPTION 'entries are in ink: write a correction that strikes the old one through'
        USING ERRCODE = 'restrict_violation';
END
$$;

DO $$
DECLARE
    ink text;
BEGIN
    FOREACH ink IN ARRAY ARRAY['attachment', 'handout_correction', 'shelf_value', 'procedure_draft', 'drill_answer',
        'drill_set', 'rehearsal', 'rehearsal_choice', 'container', 'name_taken_out'] LOOP
        EXECUTE format('CREATE TRIGGER stays_in_ink BEFORE UPDATE OR DELETE ON %I'
            ' FOR EACH ROW EXECUTE FUNCTION refuse_in_ink()', ink);
        EXECUTE format('CREATE TRIGGER stays_in_ink_whole BEFORE TRUNCATE ON %I'
            ' FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink()', ink);
    END LOOP;
    FOREACH ink IN ARRAY ARRAY['photograph', 'procedure_version'] LOOP
        EXECUTE format('CREATE TRIGGER stays_in_ink_whole BEFORE TRUNCATE ON %I'
            ' FOR EACH STATEMENT EXECUTE FUNCTION refuse_in_ink()', ink);
    END LOOP;
END
$$;

-- Put dashes in the place of a student's name in one record of a class. It runs as its owner, and asks by itself
-- whether the account is an instructor of the class; that only dashes come in, the trigger asks.
CREATE FUNCTION take_name_out(by_account bigint, of_what text, of_record uuid, becomes jsonb, why text)
RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public AS $$
DECLARE
    in_class uuid;
BEGIN
    in_class := CASE of_what
        WHEN 'entry' THEN (SELECT b.class_id FROM public.entry e JOIN public.page p ON p.id = e.page_id
            JOIN public.bench b ON b.id = p.bench_id WHERE e.id = of_record)
        WHEN 'room_entry' THEN (SELECT r.class_id FROM public.room_entry r WHERE r.id = of_record)
        WHEN 'attachment' THEN (SELECT b.class_id FROM public.attachment f JOIN public.page p ON p.id = f.page_id
            JOIN public.bench b ON b.id = p.bench_id WHERE f.id = of_record)
        WHEN 'photograph' THEN (SELECT b.class_id FROM public.photograph f JOIN public.page p ON p.id = f.page_id
            JOIN public.bench b ON b.id = p.bench_id WHERE f.id = of_record)
    END;
    IF NOT EXISTS (SELECT FROM public.instructor_of t JOIN public.account a ON a.id = t.account_id
        WHERE t.class_id = in_class AND a.id = by_account AND a.role = 'instructor') THEN
        RAISE EXCEPTION 'names are taken out by an instructor of the class' USING ERRCODE = 'insufficient_privilege';
    END IF;
    IF of_what = 'entry' THEN
        UPDATE public.entry SET payload = becomes, reason = why WHERE id = of_record;
    ELSIF of_what = 'room_entry' THEN
        UPDATE public.room_entry SET payload = becomes, reason = why WHERE id = of_record;
    ELSIF of_what = 'attachment' THEN
        UPDATE public.attachment SET name = why WHERE id = of_record;
    ELSE
        UPDATE public.photograph SET name = why WHERE id = of_record;
    END IF;
    INSERT INTO public.name_taken_out (what, record, account_id) VALUES (of_what, of_record, by_account);
END
$$;

-- An archived class takes nothing new, loses nothing, and no setting of a session opens it.
CREATE OR REPLACE FUNCTION refuse_in_archive() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    in_class uuid;
    it record;
BEGIN
    IF TG_OP = 'DELETE' THEN
        it := OLD;
    ELSE
        it := NEW;
    END IF;
    IF TG_ARGV[0] = 'class' THEN
        in_class := it.class_id;
    ELSIF TG_ARGV[0] = 'bench' THEN
        SELECT b.class_id INTO in_class FROM bench b WHERE b.id = it.bench_id;
    ELSIF TG_ARGV[0] = 'container' THEN
        SELECT k.class_id INTO in_class FROM container k WHERE k.id = it.container_id;
    ELSE
        SELECT b.class_id INTO in_class FROM page p JOIN bench b ON b.id = p.bench_id
            WHERE p.id = it.page_id;
    END IF;
    IF EXISTS (SELECT FROM class c WHERE c.id = in_class AND c.archived_at IS NOT NULL) THEN
        RAISE EXCEPTION 'this class is archived' USING ERRCODE = 'HV001';
    END IF;
    RETURN it;
END
$$;
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON bench FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON meeting FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON class_kit FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON prep_done FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON unknown_sample
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE DELETE ON unknown_dealt
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_out_of_archive BEFORE INSERT OR DELETE ON unknown_released
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
