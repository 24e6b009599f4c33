from django.db import migrations

# what changes of a variant's settings is told to all who see its study
TELL = """
CREATE FUNCTION studies_tell_edit() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE who integer;
BEGIN
  FOR who IN
    SELECT s.owner_id FROM studies_study s JOIN studies_variant v ON v.study_id = s.id
      WHERE v.id = NEW.variant_id
    UNION SELECT h.user_id FROM studies_share h JOIN studies_variant v ON v.study_id = h.study_id
      WHERE v.id = NEW.variant_id
  LOOP
    PERFORM pg_notify('intaglio_jobs', who::text);
  END LOOP;
  RETURN NEW;
END $$;
CREATE TRIGGER studies_edit_told AFTER INSERT ON studies_edit
FOR EACH ROW EXECUTE FUNCTION studies_tell_edit();
"""
QUIET = """
DROP TRIGGER studies_edit_told ON studies_edit;
DROP FUNCTION studies_tell_edit();
"""


class Migration(migrations.Migration):
    dependencies = [("studies", "0010_shares")]

    operations = [migrations.RunSQL(TELL, QUIET)]
