-- Putting a class away: nothing is written in it any more. And taking personal names out of what stays.

ALTER TABLE class ADD COLUMN archived_at timestamptz;

CREATE FUNCTION refuse_in_archive() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    in_class uuid;
BEGIN
    IF current_setting('helvor.keeping', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    IF TG_ARGV[0] = 'class' THEN
        in_class := NEW.class_id;
    ELSIF TG_ARGV[0] = 'bench' THEN
        SELECT b.class_id INTO in_class FROM bench b WHERE b.id = NEW.bench_id;
    ELSIF TG_ARGV[0] = 'container' THEN
        SELECT k.class_id INTO in_class FROM container k WHERE k.id = NEW.container_id;
    ELSE
        SELECT b.class_id INTO in_class FROM page p JOIN bench b ON b.id = p.bench_id WHERE p.id = NEW.page_id;
    END IF;
    IF EXISTS (SELECT FROM class c WHERE c.id = in_class AND c.archived_at IS NOT NULL) THEN
        RAISE EXCEPTION 'this class is archived' USING ERRCODE = 'HV001';
    END IF;
    RETURN NEW;
END
$$;

CREATE TRIGGER not_in_archive BEFORE INSERT ON entry FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('page');
CREATE TRIGGER not_in_archive BEFORE INSERT ON attachment FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('page');
CREATE TRIGGER not_in_archive BEFORE INSERT ON photograph FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('page');
CREATE TRIGGER not_in_archive BEFORE INSERT ON page FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('bench');
CREATE TRIGGER not_in_archive BEFORE INSERT ON bench FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT OR UPDATE ON meeting
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON room_entry FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON container FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT OR UPDATE ON unknown_sample
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT OR UPDATE ON unknown_dealt
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON container_note
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('container');
CREATE TRIGGER not_in_archive BEFORE INSERT OR UPDATE ON answer_sheet
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT OR UPDATE ON class_kit
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON prep_done FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON join_code FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');
CREATE TRIGGER not_in_archive BEFORE INSERT ON handout_correction
    FOR EACH ROW EXECUTE FUNCTION refuse_in_archive('class');

-- When names were last taken out of a page: whoever keeps its entries in memory reads them again.
ALTER TABLE page ADD COLUMN rewritten_at timestamptz;

-- The one change that ink allows: other words where a name stood, while names are being taken out. What an entry is,
-- which it strikes, who wrote it and when, and every number in it stay (the words are compared by their shape only in
-- notebook/forget.py, which alone sets this; a reading is never touched there).
CREATE OR REPLACE FUNCTION refuse_in_ink() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND current_setting('helvor.forgetting', true) = 'yes' THEN
        IF to_jsonb(OLD) - 'payload' - 'reason' = to_jsonb(NEW) - 'payload' - 'reason' THEN
            RETURN NEW;
        END IF;
    END IF;
    RAISE EXCEPTION 'entries are in ink: write a correction that strikes the old one through'
        USING ERRCODE = 'restrict_violation';
END
$$;
