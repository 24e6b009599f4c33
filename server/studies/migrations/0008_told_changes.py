from django.db import migrations

# what changes of a job is told to whoever listens: the number of its owner
TELL = """
CREATE FUNCTION studies_tell_job() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('intaglio_jobs', NEW.owner_id::text);
  RETURN NEW;
END $$;
CREATE TRIGGER studies_job_told AFTER INSERT OR UPDATE ON studies_job
FOR EACH ROW EXECUTE FUNCTION studies_tell_job();
"""
QUIET = """
DROP TRIGGER studies_job_told ON studies_job;
DROP FUNCTION studies_tell_job();
"""


class Migration(migrations.Migration):
    dependencies = [("studies", "0007_beat")]

    operations = [migrations.RunSQL(TELL, QUIET)]
