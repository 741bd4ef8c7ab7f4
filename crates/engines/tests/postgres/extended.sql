-- What a person writes who uses the extensions that come with the server.
CREATE EXTENSION citext;
CREATE EXTENSION hstore;
CREATE EXTENSION ltree;
CREATE EXTENSION pg_trgm;
CREATE EXTENSION btree_gist;
CREATE EXTENSION btree_gin;
CREATE EXTENSION unaccent;
CREATE EXTENSION intarray;
CREATE EXTENSION cube;
CREATE EXTENSION earthdistance;
CREATE EXTENSION tablefunc;
CREATE EXTENSION fuzzystrmatch;
CREATE SCHEMA extensions;
CREATE EXTENSION isn SCHEMA extensions;
CREATE SCHEMA shop;
CREATE TABLE keepers (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  token text NOT NULL DEFAULT md5(random()::text),
  secret uuid DEFAULT gen_random_uuid() NOT NULL,
  email citext UNIQUE NOT NULL CHECK (email ~* '^[^@]+@[^@]+$'),
  nick citext DEFAULT 'nobody' CHECK (nick <> 'admin' AND length(nick) > 2),
  path ltree NOT NULL DEFAULT 'top',
  extra hstore NOT NULL DEFAULT '',
  extra2 hstore DEFAULT hstore('a', 'b'),
  place point, lat float8, lon float8,
  nums int[] DEFAULT '{1,2}',
  title text, body text,
  search tsvector GENERATED ALWAYS AS (setweight(to_tsvector('english', coalesce(title, '')), 'A') || setweight(to_tsvector('simple'::regconfig, coalesce(body, '')), 'B')) STORED,
  created_at timestamp without time zone DEFAULT (now() at time zone 'utc') NOT NULL,
  updated_at timestamptz DEFAULT timezone('utc'::text, now()),
  period tstzrange NOT NULL DEFAULT tstzrange(now(), null, '[)'),
  isbn extensions.isbn13,
  CHECK (extra ? 'a' OR extra -> 'b' = 'c'),
  CHECK (path <@ 'top' AND nlevel(path) < 10),
  CHECK (nums @> '{1}' OR icount(nums) = 0),
  CONSTRAINT one_place EXCLUDE USING gist (title gist_text_ops WITH =, period WITH &&, tstzrange(created_at at time zone 'utc', updated_at, '[)') WITH &&, (lower(body)) WITH =) WHERE (title <> 'x')
);
CREATE INDEX ON keepers USING gist (path);
CREATE INDEX ON keepers USING gin (extra);
CREATE INDEX ON keepers USING gin (nums gin__int_ops);
CREATE INDEX ON keepers USING gin (title gin_trgm_ops, email);
CREATE INDEX ON keepers (lower(title), upper(email), (email || '-x'), replace(email, 'a', 'b'), replace(email::text, 'a', 'b')) WHERE false;
CREATE INDEX ON keepers USING gist (ll_to_earth(lat, lon));
CREATE INDEX ON keepers USING gin (search);
CREATE INDEX ON keepers USING gin (to_tsvector('english', title || ' ' || body));
CREATE INDEX ON keepers (soundex(title), metaphone(body, 5));
CREATE INDEX ON keepers ((extra -> 'x')) WHERE extra ? 'x';
CREATE INDEX ON keepers (email citext_pattern_ops);
CREATE INDEX ON keepers USING gist (title gist_trgm_ops (siglen = 32));
CREATE VIEW near AS SELECT k.*, earth_distance(ll_to_earth(k.lat, k.lon), ll_to_earth(50, 8)) AS d, similarity(title, 'honey') AS s FROM keepers k WHERE title % 'honey' ORDER BY title <-> 'honey';
CREATE VIEW found AS SELECT id, extra -> 'a' AS a, email LIKE 'a%' AS l, email NOT ILIKE 'b%' AS m, email ~ 'x' AS r, email !~* 'y' AS n, coalesce(nick, email, 'none') AS c, nullif(nick, '') AS z, CASE WHEN nick = 'a' THEN nick ELSE 'b' END AS w, nick || email AS both, split_part(email, '@', 2) AS domain, max(nick) OVER () AS mx, nick BETWEEN 'a' AND 'c' AS bt, path || 'x' AS deeper, subpath(path, 0, 1) AS top, lower(email) AS e, email || '!' AS shout FROM keepers WHERE email = 'A@b.c' AND title ILIKE '%x%' AND nick = ANY ('{a,b}') AND nick IN ('x', 'y');
CREATE VIEW shop.trees AS WITH RECURSIVE t AS (SELECT id, path, 1 AS depth FROM public.keepers WHERE nlevel(path) = 1 UNION ALL SELECT k.id, k.path, t.depth + 1 FROM public.keepers k JOIN t ON k.path <@ t.path AND nlevel(k.path) = nlevel(t.path) + 1) SELECT * FROM t;
CREATE VIEW pivot AS SELECT * FROM crosstab('select 1, 2, 3') AS ct(a int, b int, c int);
CREATE VIEW pairs AS SELECT k.id, (each(k.extra)).key, (each(k.extra)).value, e.key AS k2 FROM keepers k, each(k.extra) e;
CREATE VIEW pairs2 AS SELECT k.id, e.* FROM keepers k, each(k.extra) e;
CREATE VIEW keys AS SELECT id, skeys(extra) AS k, akeys(extra) FROM keepers;
CREATE FUNCTION shop.uid() RETURNS uuid LANGUAGE sql STABLE AS $$ select nullif(current_setting('request.sub', true), '')::uuid $$;
ALTER TABLE keepers ENABLE ROW LEVEL SECURITY;
CREATE POLICY own ON keepers USING ((SELECT shop.uid()) = id) WITH CHECK (shop.uid() = id AND nick IS NOT NULL);
CREATE POLICY see ON keepers FOR SELECT TO public USING (EXISTS (SELECT 1 FROM keepers k2 WHERE k2.path @> keepers.path AND k2.id = shop.uid()));
