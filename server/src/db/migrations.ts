import type { Database } from "./pool";

/**
 * Numbered changes of the schema, each run once in a transaction of its own. Never edited after
 * they have shipped.
 */
export const MIGRATIONS: { id: number; name: string; sql: string }[] = [
  {
    id: 1,
    name: "studies, scenes, images, runs, change maps",
    sql: `
CREATE TABLE study (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  hazard text NOT NULL,
  event_at timestamptz,
  study_area jsonb,
  compare jsonb,
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now()
);

-- Bytes of files: uploads until they are imported, and files made for download.
CREATE TABLE blob (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid REFERENCES study ON DELETE CASCADE,
  purpose text NOT NULL,
  name text NOT NULL,
  size bigint NOT NULL DEFAULT 0,
  sha256 text,
  state text NOT NULL DEFAULT 'receiving',
  media_type text,
  detail jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX blob_study ON blob (study_id);

CREATE TABLE blob_chunk (
  blob_id uuid NOT NULL REFERENCES blob ON DELETE CASCADE,
  seq integer NOT NULL,
  bytes bytea NOT NULL,
  PRIMARY KEY (blob_id, seq)
);

ALTER TABLE blob_chunk ALTER COLUMN bytes SET STORAGE EXTERNAL;

-- Pixels. An image is 'writing' until the transaction that finishes it; nobody sees it before.
CREATE TABLE image (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  state text NOT NULL DEFAULT 'writing',
  info jsonb NOT NULL,
  levels integer NOT NULL,
  statistics jsonb,
  histograms jsonb,
  looks jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE image_block (
  image_id uuid NOT NULL REFERENCES image ON DELETE CASCADE,
  level smallint NOT NULL,
  "row" integer NOT NULL,
  col integer NOT NULL,
  band smallint NOT NULL,
  cells bytea,
  labels bytea,
  PRIMARY KEY (image_id, level, "row", col, band)
);

-- Speckle does not compress; class labels do.
ALTER TABLE image_block ALTER COLUMN cells SET STORAGE EXTERNAL;

CREATE TABLE scene (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  kind text NOT NULL,
  name text NOT NULL,
  acquired_at timestamptz,
  file_name text NOT NULL,
  file_size bigint NOT NULL,
  file_sha256 text NOT NULL,
  detail jsonb NOT NULL,
  image_id uuid REFERENCES image,
  run_id uuid,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX scene_study ON scene (study_id);

CREATE TABLE zone_layer (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  name text NOT NULL,
  file_name text NOT NULL,
  file_sha256 text NOT NULL,
  name_field text NOT NULL,
  features jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

-- Nodes that a page asked for: the hash in a tile's address leads back to what it is.
CREATE TABLE node (
  hash text PRIMARY KEY,
  spec jsonb NOT NULL,
  info jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE node_state (
  key text PRIMARY KEY,
  state bytea NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE node_tally (
  key text PRIMARY KEY,
  tally jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE run (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid REFERENCES study ON DELETE CASCADE,
  kind text NOT NULL,
  title text NOT NULL,
  params jsonb NOT NULL,
  state text NOT NULL DEFAULT 'running',
  phase integer NOT NULL DEFAULT 0,
  phases jsonb NOT NULL DEFAULT '[]',
  error jsonb,
  result jsonb,
  created_at timestamptz NOT NULL DEFAULT now(),
  finished_at timestamptz
);

CREATE INDEX run_study ON run (study_id, created_at DESC);

CREATE INDEX run_open ON run (created_at)
WHERE
  state = 'running';

CREATE TABLE run_range (
  run_id uuid NOT NULL REFERENCES run ON DELETE CASCADE,
  phase integer NOT NULL,
  seq integer NOT NULL,
  weight real NOT NULL DEFAULT 1,
  state text NOT NULL DEFAULT 'queued',
  progress real NOT NULL DEFAULT 0,
  claimed_by uuid,
  attempts integer NOT NULL DEFAULT 0,
  result jsonb,
  PRIMARY KEY (run_id, phase, seq)
);

CREATE TABLE worker (
  id uuid PRIMARY KEY,
  host text NOT NULL,
  pid integer NOT NULL,
  seen_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE change_map (
  id uuid PRIMARY KEY,
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  name text NOT NULL,
  image_id uuid NOT NULL REFERENCES image,
  node_hash text NOT NULL,
  setup jsonb NOT NULL,
  provenance jsonb NOT NULL,
  tally jsonb NOT NULL,
  patch_count integer NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX change_map_study ON change_map (study_id, created_at DESC);

CREATE TABLE patch (
  change_map_id uuid NOT NULL,
  number integer NOT NULL,
  label smallint NOT NULL,
  cells bigint NOT NULL,
  area_m2 double precision NOT NULL,
  west double precision NOT NULL,
  south double precision NOT NULL,
  east double precision NOT NULL,
  north double precision NOT NULL,
  geometry text NOT NULL,
  PRIMARY KEY (change_map_id, number)
);

CREATE TABLE ledger (
  id bigserial PRIMARY KEY,
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now(),
  what text NOT NULL,
  detail jsonb NOT NULL
);

CREATE INDEX ledger_study ON ledger (study_id, id);
`,
  },
  {
    id: 2,
    name: "radar products, orbit files, chains, kept results, pins",
    sql: `
CREATE TABLE product_luts (image_id uuid PRIMARY KEY REFERENCES image ON DELETE CASCADE, luts jsonb NOT NULL);

CREATE TABLE orbit_file (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  file_name text NOT NULL,
  file_sha256 text NOT NULL,
  mission text NOT NULL,
  kind text NOT NULL,
  valid_from double precision NOT NULL,
  valid_to double precision NOT NULL,
  vectors jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX orbit_file_study ON orbit_file (study_id);

ALTER TABLE study ADD COLUMN chain jsonb;

-- Results of chains, by the hash of the node that they are; a result leaves with its scene.
CREATE TABLE kept_image (
  hash text PRIMARY KEY,
  image_id uuid NOT NULL REFERENCES image,
  scene_id uuid NOT NULL REFERENCES scene ON DELETE CASCADE,
  step text NOT NULL,
  -- Hash of what each step of the chain gave on the way: tells which steps have changed since.
  steps jsonb NOT NULL DEFAULT '{}',
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX kept_image_scene ON kept_image (scene_id);

CREATE TABLE pin (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  name text NOT NULL,
  lon double precision NOT NULL,
  lat double precision NOT NULL,
  expected jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX pin_study ON pin (study_id);
`,
  },
  {
    id: 3,
    name: "a chain of optical dates",
    sql: "ALTER TABLE study ADD COLUMN optical_chain jsonb;",
  },
  { id: 4, name: "alignment of dates", sql: "ALTER TABLE study ADD COLUMN align jsonb;" },
  {
    id: 5,
    name: "facts of patches, saved presets",
    sql: `
ALTER TABLE patch
ADD COLUMN perimeter_m double precision,
ADD COLUMN measure double precision,
ADD COLUMN elevation double precision;

CREATE INDEX patch_size ON patch (change_map_id, label, area_m2);

CREATE TABLE preset (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  comparing text NOT NULL,
  unit text NOT NULL,
  measure text NOT NULL,
  formula text,
  rules jsonb NOT NULL,
  limits jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
`,
  },
  {
    id: 6,
    name: "versions of studies; pages hear of changes",
    sql: `
ALTER TABLE study ADD COLUMN version integer NOT NULL DEFAULT 1;

-- Every change of what a study is set to raises its version; a touch does not.
CREATE FUNCTION study_raise_version () RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF (NEW.name, NEW.hazard, NEW.event_at, NEW.study_area, NEW.compare, NEW.chain, NEW.optical_chain, NEW.align)
     IS DISTINCT FROM
     (OLD.name, OLD.hazard, OLD.event_at, OLD.study_area, OLD.compare, OLD.chain, OLD.optical_chain, OLD.align) THEN
    NEW.version := OLD.version + 1;
  END IF;
  RETURN NEW;
END $$;

CREATE TRIGGER study_version
BEFORE UPDATE ON study FOR EACH ROW
EXECUTE FUNCTION study_raise_version ();

-- A notice names the study and what of it has changed; equal notices of one transaction are one.
CREATE FUNCTION study_tell () RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE changed uuid;
BEGIN
  IF TG_TABLE_NAME = 'study' THEN
    changed := coalesce(NEW.id, OLD.id);
  ELSE
    changed := coalesce(NEW.study_id, OLD.study_id);
  END IF;
  IF changed IS NOT NULL THEN
    PERFORM pg_notify('hg_studies', changed || ' ' || TG_TABLE_NAME);
  END IF;
  RETURN NULL;
END $$;

CREATE TRIGGER study_told
AFTER INSERT OR UPDATE OR DELETE ON study FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER scene_told
AFTER INSERT OR UPDATE OR DELETE ON scene FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER zone_layer_told
AFTER INSERT OR UPDATE OR DELETE ON zone_layer FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER pin_told
AFTER INSERT OR UPDATE OR DELETE ON pin FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER change_map_told
AFTER INSERT OR UPDATE OR DELETE ON change_map FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER orbit_file_told
AFTER INSERT OR DELETE ON orbit_file FOR EACH ROW
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER blob_told
AFTER UPDATE OR DELETE ON blob FOR EACH ROW
EXECUTE FUNCTION study_tell ();
`,
  },
  {
    id: 7,
    name: "workers live by their connection; bytes that come are told to nobody",
    sql: `
DROP SCHEMA IF EXISTS pgboss CASCADE;

DROP TABLE worker;

ALTER TABLE run_range
DROP COLUMN claimed_by;

ALTER TABLE run_range
ADD COLUMN claimed_by integer;

UPDATE run_range
SET state = 'queued'
WHERE state = 'active';

CREATE SEQUENCE worker_key AS integer CYCLE;

CREATE INDEX run_range_active ON run_range (claimed_by)
WHERE state = 'active';

-- That more bytes of a file have come is told to nobody.
DROP TRIGGER blob_told ON blob;

CREATE TRIGGER blob_told
AFTER UPDATE ON blob FOR EACH ROW
WHEN (OLD.size = NEW.size OR OLD.state <> NEW.state)
EXECUTE FUNCTION study_tell ();

CREATE TRIGGER blob_gone_told
AFTER DELETE ON blob FOR EACH ROW
EXECUTE FUNCTION study_tell ();
`,
  },
  {
    id: 8,
    name: "files that come know when bytes came last",
    sql: `
ALTER TABLE blob
ADD COLUMN touched_at timestamptz NOT NULL DEFAULT now();
`,
  },
  {
    id: 9,
    name: "files that come in pieces, and go on where they stopped",
    sql: `
-- length: bytes that were announced. sent: what its sender said of it. refused: why it was not taken
-- in.
ALTER TABLE blob
ADD COLUMN length bigint,
ADD COLUMN sent jsonb,
ADD COLUMN refused jsonb;

CREATE TRIGGER blob_comes_told
AFTER INSERT ON blob FOR EACH ROW
WHEN (NEW.length IS NOT NULL)
EXECUTE FUNCTION study_tell ();
`,
  },
  {
    id: 10,
    name: "runs that pages wait for",
    sql: `
-- Until when a run goes on without anybody saying that he waits for it; NULL: to its end.
ALTER TABLE run
ADD COLUMN wanted_until timestamptz;

-- The worker that was lost with it last.
ALTER TABLE run_range
ADD COLUMN lost_by integer;
`,
  },
  {
    id: 11,
    name: "features that lie over every map",
    sql: `
CREATE TABLE overlay (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  name text NOT NULL,
  file_name text NOT NULL,
  file_sha256 text NOT NULL,
  color text NOT NULL,
  label_field text,
  fields jsonb NOT NULL,
  feature_count integer NOT NULL,
  features jsonb NOT NULL,
  shown boolean NOT NULL DEFAULT TRUE,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX ON overlay (study_id);

CREATE TRIGGER overlay_told
AFTER INSERT OR UPDATE OR DELETE ON overlay FOR EACH ROW
EXECUTE FUNCTION study_tell ();

-- Polygons that wait for an answer are one layer of features now.
UPDATE blob
SET detail = jsonb_build_object(
  'form', 'vectors',
  'name', name,
  'files', jsonb_build_object(
    'zip', FALSE,
    'blobs', jsonb_build_array(jsonb_build_object('id', id, 'path', name, 'size', size))
  ),
  'layers', jsonb_build_array(
    jsonb_build_object(
      'name', name,
      'features', detail -> 'zones',
      'points', 0,
      'lines', 0,
      'polygons', detail -> 'zones',
      'nameFields', detail -> 'nameFields',
      'nameField', detail -> 'nameField',
      'system', 'WGS 84',
      'noSystem', NULL,
      'faults', '[]'::jsonb,
      'faulty', 0,
      'withHeights', 0,
      'refused', NULL,
      'taken', FALSE
    )
  )
)
WHERE detail ->> 'form' = 'zones';
`,
  },
  {
    id: 12,
    name: "features as text",
    sql: `
-- Nobody asks for a part of them, and the parsed form takes a gigabyte of memory to make of a large file.
ALTER TABLE zone_layer
ALTER COLUMN features TYPE json USING features::json;

ALTER TABLE overlay
ALTER COLUMN features TYPE json USING features::json;
`,
  },
  {
    id: 13,
    name: "number of zones",
    sql: `
ALTER TABLE zone_layer
ADD COLUMN feature_count integer;

UPDATE zone_layer
SET feature_count = json_array_length(features -> 'features');

ALTER TABLE zone_layer
ALTER COLUMN feature_count SET NOT NULL;
`,
  },
  {
    id: 14,
    name: "gaps in orbit files",
    sql: `
ALTER TABLE orbit_file
ADD COLUMN gaps jsonb NOT NULL DEFAULT '[]';

-- A step beyond one and a half times the usual one is a gap.
WITH step AS (
  SELECT
    orbit_file.id,
    lag(t) OVER (PARTITION BY orbit_file.id ORDER BY t) AS t_from,
    t AS t_to
  FROM orbit_file, LATERAL (
    SELECT (vector ->> 't')::double precision AS t
    FROM jsonb_array_elements(orbit_file.vectors::jsonb) AS vector
  ) AS times
), usual AS (
  SELECT id, percentile_cont(0.5) WITHIN GROUP (ORDER BY t_to - t_from) AS seconds
  FROM step
  WHERE t_from IS NOT NULL
  GROUP BY id
), gap AS (
  SELECT step.id, jsonb_agg(jsonb_build_array(t_from, t_to) ORDER BY t_from) AS spans
  FROM step
  JOIN usual USING (id)
  WHERE t_to - t_from > 1.5 * seconds
  GROUP BY step.id
)
UPDATE orbit_file
SET gaps = gap.spans
FROM gap
WHERE gap.id = orbit_file.id;
`,
  },
  {
    id: 15,
    name: "several products in one archive",
    sql: `
-- The folder of an archive that an upload stands for; null: all of it.
ALTER TABLE blob
ADD COLUMN within text;
`,
  },
  {
    id: 16,
    name: "presets keep the settings of their measure",
    sql: `
ALTER TABLE preset
ADD COLUMN own jsonb NOT NULL DEFAULT '{}';
`,
  },
  {
    id: 17,
    name: "every worker that was lost with a range is remembered",
    sql: `
-- Connections of several workers may break before the first of them is back.
ALTER TABLE run_range
ALTER COLUMN lost_by TYPE integer[] USING CASE WHEN lost_by IS NULL THEN '{}' ELSE ARRAY[lost_by] END,
ALTER COLUMN lost_by SET DEFAULT '{}',
ALTER COLUMN lost_by SET NOT NULL;
`,
  },
  {
    id: 18,
    name: "what a study's dates are classified by, and trained models",
    sql: `
CREATE TABLE classification (
  study_id uuid PRIMARY KEY REFERENCES study (id) ON DELETE CASCADE,
  version integer NOT NULL DEFAULT 1,
  settings jsonb NOT NULL
);

CREATE TRIGGER classification_told
AFTER INSERT OR UPDATE OR DELETE ON classification FOR EACH ROW
EXECUTE FUNCTION study_tell ();

-- A model is named by its content. Its text is JSON, compressed.
CREATE TABLE model (
  study_id uuid NOT NULL REFERENCES study (id) ON DELETE CASCADE,
  id text NOT NULL,
  text bytea NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (study_id, id)
);

CREATE INDEX model_id ON model (id);
`,
  },
  {
    id: 19,
    name: "models with names",
    sql: `
-- Name of a model that somebody kept, how it is applied, and what it knows; null of all others.
ALTER TABLE model
ADD COLUMN kept jsonb;
`,
  },
  {
    id: 20,
    name: "what reviewers say of patches, and their parts by zone",
    sql: `
-- How a patch stands by all that was said of it.
ALTER TABLE patch
ADD COLUMN standing text NOT NULL DEFAULT 'open';

CREATE INDEX patch_standing ON patch (change_map_id, standing, label) INCLUDE (number, cells, area_m2);

-- Parts of patches in zones; 0 is in none. Absent for maps without zones, and for older ones.
CREATE TABLE patch_zone (
  change_map_id uuid NOT NULL,
  zone smallint NOT NULL,
  patch integer NOT NULL,
  cells bigint NOT NULL,
  area_m2 double precision NOT NULL,
  PRIMARY KEY (change_map_id, zone, patch)
);

CREATE TABLE verdict (
  change_map_id uuid NOT NULL REFERENCES change_map (id) ON DELETE CASCADE,
  patch integer NOT NULL,
  reviewer text NOT NULL,
  verdict text NOT NULL,
  note text NOT NULL,
  said_at timestamptz NOT NULL,
  -- The patch of an earlier map that it was taken over from.
  inherited jsonb,
  PRIMARY KEY (change_map_id, patch, reviewer)
);

-- What was said in one go, and what had been said before: it can be taken back.
CREATE TABLE verdict_act (
  id bigserial PRIMARY KEY,
  change_map_id uuid NOT NULL REFERENCES change_map (id) ON DELETE CASCADE,
  reviewer text NOT NULL,
  verdict text,
  note text,
  said_at timestamptz NOT NULL DEFAULT now(),
  undone boolean NOT NULL DEFAULT false,
  -- When it was taken back or said again last.
  turned_at timestamptz
);

CREATE INDEX verdict_act_map ON verdict_act (change_map_id, id);

CREATE TABLE verdict_change (
  act bigint NOT NULL REFERENCES verdict_act (id) ON DELETE CASCADE,
  patch integer NOT NULL,
  was jsonb,
  PRIMARY KEY (act, patch)
);
`,
  },
  {
    id: 21,
    name: "doubt of maps and of their patches",
    sql: `
-- Probable areas, and other dates that patches are held against; null until they are counted.
ALTER TABLE change_map
ADD COLUMN doubt jsonb,
-- Probability of each cell to be of the class that the map says.
ADD COLUMN doubt_image_id uuid REFERENCES image;

CREATE TABLE patch_doubt (
  change_map_id uuid NOT NULL,
  number integer NOT NULL,
  certainty real,
  edge_share real NOT NULL,
  earlier_alike smallint NOT NULL,
  earlier_seen smallint NOT NULL,
  later_alike smallint NOT NULL,
  later_seen smallint NOT NULL,
  PRIMARY KEY (change_map_id, number)
);
`,
  },
  {
    id: 22,
    name: "samples that maps are tested on",
    sql: `
CREATE TABLE sample (
  id uuid PRIMARY KEY,
  change_map_id uuid NOT NULL REFERENCES change_map (id) ON DELETE CASCADE,
  name text NOT NULL,
  design jsonb NOT NULL,
  near_cells integer NOT NULL,
  strata jsonb NOT NULL,
  -- Strata by zone.
  zones jsonb NOT NULL,
  -- What areas of known class came to, where the map was tested on those.
  area_counts jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE INDEX sample_map ON sample (change_map_id, created_at DESC);

CREATE TABLE sample_place (
  sample_id uuid NOT NULL REFERENCES sample (id) ON DELETE CASCADE,
  number integer NOT NULL,
  stratum smallint NOT NULL,
  -- What the map says; who looks at the place is not told.
  label smallint NOT NULL,
  zone integer NOT NULL,
  lon double precision NOT NULL,
  lat double precision NOT NULL,
  PRIMARY KEY (sample_id, number)
);

-- What an interpreter saw there; without a label it cannot be told.
CREATE TABLE sample_look (
  sample_id uuid NOT NULL,
  number integer NOT NULL,
  interpreter text NOT NULL,
  label smallint,
  note text NOT NULL,
  said_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (sample_id, number, interpreter),
  FOREIGN KEY (sample_id, number) REFERENCES sample_place (sample_id, number) ON DELETE CASCADE
);
`,
  },
  {
    id: 23,
    name: "level and depth of floods",
    sql: `
-- Volumes by zone and class; null until they are measured.
ALTER TABLE change_map
ADD COLUMN depth jsonb,
-- Depth of every cell, metres.
ADD COLUMN depth_image_id uuid REFERENCES image;

CREATE TABLE patch_depth (
  change_map_id uuid NOT NULL,
  number integer NOT NULL,
  level real NOT NULL,
  spread real NOT NULL,
  depth real NOT NULL,
  PRIMARY KEY (change_map_id, number)
);
`,
  },
  {
    id: 24,
    name: "edits of maps, and the maps that are written from them",
    sql: `
-- What a map was made from: both dates, the measure, and what its doubt is counted from.
ALTER TABLE change_map
ADD COLUMN made_from jsonb,
-- The map that it was written from, by edits; null where it was not.
ADD COLUMN edited jsonb,
-- By cell the number of the patch that somebody gave an outline.
ADD COLUMN patch_image_id uuid REFERENCES image;

-- Whether somebody gave it its outline or its class.
ALTER TABLE patch
ADD COLUMN edited boolean NOT NULL DEFAULT false;

-- Where the edits of a map stand: after which act; null before the first.
CREATE TABLE edit_state (
  change_map_id uuid PRIMARY KEY REFERENCES change_map (id) ON DELETE CASCADE,
  head bigint,
  next_number integer NOT NULL
);

-- What was done in one go, on what had been done before: a tree, so that nothing is ever lost.
CREATE TABLE edit_act (
  id bigserial PRIMARY KEY,
  change_map_id uuid NOT NULL REFERENCES change_map (id) ON DELETE CASCADE,
  parent bigint,
  -- Given by who asks, so that asking twice does it once.
  key uuid NOT NULL,
  kind text NOT NULL,
  editor text NOT NULL,
  done_at timestamptz NOT NULL DEFAULT now(),
  -- Patches that are not there any more, and those in their place.
  gone integer[] NOT NULL,
  made integer[] NOT NULL,
  UNIQUE (change_map_id, key)
);

CREATE INDEX edit_act_parent ON edit_act (change_map_id, parent);

-- Patches that acts made; they never change.
CREATE TABLE edit_patch (
  change_map_id uuid NOT NULL REFERENCES change_map (id) ON DELETE CASCADE,
  number integer NOT NULL,
  -- The patch that it was before; null where it is new.
  origin integer,
  label smallint NOT NULL,
  cells bigint NOT NULL,
  area_m2 double precision NOT NULL,
  zones jsonb NOT NULL,
  west double precision NOT NULL,
  south double precision NOT NULL,
  east double precision NOT NULL,
  north double precision NOT NULL,
  -- In cells of the map, columns and rows.
  outline jsonb NOT NULL,
  PRIMARY KEY (change_map_id, number)
);
`,
  },
  {
    id: 25,
    name: "who and what lies under the classes of a map",
    sql: `
-- What was counted last: people, land cover, assets and roads; null until it is.
ALTER TABLE change_map
ADD COLUMN exposure jsonb;
`,
  },
  {
    id: 26,
    name: "when something seen at places of samples was taken back",
    sql: `
-- Files that tell of samples are old after it.
ALTER TABLE change_map
ADD COLUMN taken_back_at timestamptz;
`,
  },
  {
    id: 27,
    name: "recipes and their runs",
    sql: `
CREATE TABLE recipe (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  version integer NOT NULL,
  recipe jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (name, version)
);

-- A recipe on a pair of a study: waits are the runs that it waits for at its stage; holder is the
-- server that moves it on, as long as it says so again and again.
CREATE TABLE recipe_run (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study ON DELETE CASCADE,
  name text NOT NULL,
  recipe jsonb NOT NULL,
  files jsonb NOT NULL,
  before_id uuid NOT NULL REFERENCES scene ON DELETE CASCADE,
  after_id uuid NOT NULL REFERENCES scene ON DELETE CASCADE,
  state text NOT NULL DEFAULT 'running',
  stage text NOT NULL DEFAULT 'import',
  waits uuid[] NOT NULL DEFAULT '{}',
  notes jsonb NOT NULL DEFAULT '{}',
  log jsonb NOT NULL DEFAULT '[]',
  look_first jsonb NOT NULL DEFAULT '[]',
  made jsonb NOT NULL DEFAULT '{"changeMapId": null, "files": []}',
  holder uuid,
  held_at timestamptz,
  created_at timestamptz NOT NULL DEFAULT clock_timestamp(),
  ended_at timestamptz
);

CREATE INDEX recipe_run_study ON recipe_run (study_id, created_at);
`,
  },
  {
    id: 28,
    name: "who did what",
    sql: `
-- As somebody said; null where nobody did.
ALTER TABLE ledger
ADD COLUMN actor text;

ALTER TABLE run
ADD COLUMN actor text;

ALTER TABLE recipe_run
ADD COLUMN actor text;
`,
  },
  {
    id: 29,
    name: "open services of a study",
    sql: `
-- Whether its results are handed to whoever asks for them.
ALTER TABLE study
ADD COLUMN open boolean NOT NULL DEFAULT false;
`,
  },
  {
    id: 30,
    name: "sheets of maps and their layouts",
    sql: `
-- What is set of the sheet of a map; maps without one have the layout that is proposed.
CREATE TABLE sheet (
  change_map_id uuid PRIMARY KEY REFERENCES change_map (id) ON DELETE CASCADE,
  sheet jsonb NOT NULL,
  version integer NOT NULL DEFAULT 1,
  updated_at timestamptz NOT NULL DEFAULT now()
);

-- Layouts that were saved for all studies.
CREATE TABLE sheet_layout (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL UNIQUE,
  layout jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
`,
  },
  {
    id: 31,
    name: "recipes for every new date",
    sql: `
-- A recipe that is run on every date that comes into a study after it was given.
CREATE TABLE recipe_order (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study (id) ON DELETE CASCADE,
  recipe jsonb NOT NULL,
  files jsonb NOT NULL,
  -- The date that new ones are compared with; null: the one before each, of the same pass.
  before_id uuid REFERENCES scene (id) ON DELETE CASCADE,
  actor text,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX recipe_order_study ON recipe_order (study_id);

ALTER TABLE recipe_run
ADD COLUMN order_id uuid REFERENCES recipe_order (id) ON DELETE SET NULL;

-- Two servers that see a new date begin it once.
CREATE UNIQUE INDEX recipe_run_order ON recipe_run (order_id, after_id)
WHERE order_id IS NOT NULL;
`,
  },
  {
    id: 32,
    name: "what a second sensor says",
    sql: `
ALTER TABLE change_map
ADD COLUMN confirmed jsonb;

CREATE TABLE patch_confirmed (
  change_map_id uuid NOT NULL,
  number integer NOT NULL,
  seen_share real NOT NULL,
  confirmed_share real NOT NULL,
  PRIMARY KEY (change_map_id, number)
);
`,
  },
  {
    id: 33,
    name: "where scenes come from, to have them again",
    sql: `
ALTER TABLE scene
ADD COLUMN origin jsonb;
`,
  },
  {
    id: 34,
    name: "standing searches, and news of what happened by itself",
    sql: `
CREATE TABLE standing_search (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  study_id uuid NOT NULL REFERENCES study (id) ON DELETE CASCADE,
  pass text,
  polarisation text,
  every_minutes integer NOT NULL,
  most_at_once integer NOT NULL,
  -- Products that were taken from this day on count.
  since date NOT NULL,
  looked_at timestamptz,
  -- Items that were asked for, with how often.
  asked jsonb NOT NULL DEFAULT '{}',
  problem text,
  actor text,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX standing_search_study ON standing_search (study_id);

CREATE TABLE news (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  study_id uuid REFERENCES study (id) ON DELETE CASCADE,
  tone text NOT NULL,
  text text NOT NULL,
  stage text
);
`,
  },
  {
    id: 35,
    name: "servers and workers that share the database",
    sql: `
CREATE TABLE process (
  id uuid PRIMARY KEY,
  kind text NOT NULL,
  host text NOT NULL,
  pid integer NOT NULL,
  program text NOT NULL,
  started_at timestamptz NOT NULL DEFAULT now(),
  heard_at timestamptz NOT NULL DEFAULT now(),
  memory_bytes bigint NOT NULL,
  worker_key integer,
  is_draining boolean NOT NULL DEFAULT false
);
`,
  },
];

/**
 * Brings the schema up to date. Safe when several processes do it at once: they take turns on an
 * advisory lock.
 */
export async function migrate(db: Database): Promise<number> {
  return db.withClient(async (client) => {
    await client.query("SELECT pg_advisory_lock(7310401)");
    try {
      await client.query(
        `
          CREATE TABLE IF NOT EXISTS migration (
            id integer PRIMARY KEY,
            name text NOT NULL,
            at timestamptz NOT NULL DEFAULT now()
          )
        `,
      );
      const done = new Set(
        (await client.query<{ id: number }>("SELECT id FROM migration")).rows.map((row) => row.id),
      );
      let n = 0;
      for (const m of MIGRATIONS) {
        if (done.has(m.id)) {
          continue;
        }
        await client.query("BEGIN");
        try {
          await client.query(m.sql);
          await client.query("INSERT INTO migration (id, name) VALUES ($1, $2)", [m.id, m.name]);
          await client.query("COMMIT");
          n++;
        } catch (error) {
          await client.query("ROLLBACK");
          throw error;
        }
      }
      return n;
    } finally {
      await client.query("SELECT pg_advisory_unlock(7310401)");
    }
  });
}
