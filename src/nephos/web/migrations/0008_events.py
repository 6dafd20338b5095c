"""Triggers that tell the web processes of changes (web/events.py)."""

from django.db import migrations

_FUNCTIONS = """
CREATE FUNCTION nephos_say_job() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('nephos', json_build_object('kind', 'job', 'id', NEW.id, 'version', NEW.version)::text);
  RETURN NULL;
END $$;
CREATE FUNCTION nephos_say_calculation() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('nephos', json_build_object('kind', 'calculation', 'id', NEW.job_id)::text);
  RETURN NULL;
END $$;
CREATE FUNCTION nephos_say_mesh() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('nephos', json_build_object('kind', 'mesh', 'id', NEW.id)::text);
  RETURN NULL;
END $$;
CREATE FUNCTION nephos_say_results() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('nephos', json_build_object('kind', 'results', 'id', 0)::text);
  RETURN NULL;
END $$;
CREATE TRIGGER nephos_job_said AFTER INSERT OR UPDATE ON nephos_job
  FOR EACH ROW EXECUTE FUNCTION nephos_say_job();
CREATE TRIGGER nephos_calculation_said AFTER INSERT OR UPDATE ON nephos_calculation
  FOR EACH ROW EXECUTE FUNCTION nephos_say_calculation();
CREATE TRIGGER nephos_mesh_said AFTER INSERT OR UPDATE ON nephos_mesh
  FOR EACH ROW EXECUTE FUNCTION nephos_say_mesh();
CREATE TRIGGER nephos_results_said AFTER INSERT ON nephos_result
  FOR EACH STATEMENT EXECUTE FUNCTION nephos_say_results();
"""
_AWAY = "".join(
    f"DROP TRIGGER nephos_{table}_said ON nephos_{row}; DROP FUNCTION nephos_say_{table}();"
    for table, row in (("job", "job"), ("calculation", "calculation"), ("mesh", "mesh"), ("results", "result"))
)


class Migration(migrations.Migration):
    dependencies = [("nephos", "0007_deleted_and_progress")]

    operations = [migrations.RunSQL(_FUNCTIONS, _AWAY)]
