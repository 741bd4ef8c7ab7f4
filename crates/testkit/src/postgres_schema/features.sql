-- What a random schema may hold beside its usual tables. A paragraph is there or not; so is a statement that begins with `?`.
-- Of ‹one¦another› one is taken. A paragraph needs none of the others. `-- since 18` stands over what older servers do not know.

-- Inheritance
CREATE TABLE public.animals (id integer ‹NOT NULL¦DEFAULT 1¦›, name text‹¦ NOT NULL DEFAULT ''›, CONSTRAINT sane CHECK (id > 0)‹¦ NO INHERIT›‹¦, legs smallint¦, legs integer›);
? CREATE TABLE public.bees (wings integer‹¦ DEFAULT 4›‹¦, CHECK (wings > 0)›) INHERITS (public.animals);
? CREATE TABLE public.wasps (name text, sting boolean) INHERITS (public.animals);
? ALTER TABLE ONLY public.animals ALTER COLUMN name SET DEFAULT 'nobody';
? CREATE INDEX animals_by_name ON public.animals (name);

-- Exclusion constraints
CREATE TABLE public.bookings (site integer, during tsrange‹¦ NOT NULL DEFAULT 'empty'›, ‹¦CONSTRAINT one_at_a_time ›EXCLUDE USING gist (during WITH ‹&&¦-|-›)‹¦ WHERE (site > 0)›‹¦ DEFERRABLE¦ DEFERRABLE INITIALLY DEFERRED›);

-- Partitions by list
CREATE TABLE public.batches (kind text NOT NULL, id integer NOT NULL‹¦ DEFAULT 5›, weight numeric(‹8¦10›,2)‹¦, note text›‹¦, PRIMARY KEY (kind, id)¦, UNIQUE (id, kind)›‹¦, CHECK (weight > 0)›) PARTITION BY LIST (kind);
CREATE TABLE public.batches_honey PARTITION OF public.batches FOR VALUES IN (‹'honey'¦'honey', 'mead'¦'mead', 'honey', NULL›);
? CREATE TABLE public.batches_wax PARTITION OF public.batches (weight DEFAULT ‹1¦2.5›‹¦, CONSTRAINT light CHECK (weight < 100)›) FOR VALUES IN ('wax');
? CREATE TABLE public.batches_other PARTITION OF public.batches DEFAULT;
? CREATE INDEX batches_by_weight ON public.batches (weight‹¦ DESC¦, id›);
? CREATE INDEX batches_honey_alone ON public.batches_honey (id);
? COMMENT ON TABLE public.batches_honey IS 'what is sweet';

-- Partitions of partitions
CREATE TABLE public.weighings (day date NOT NULL, hive integer NOT NULL, grams bigint‹¦ DEFAULT 0›) PARTITION BY RANGE (‹day¦day, hive›);
? ALTER TABLE public.weighings ADD CONSTRAINT weighings_key PRIMARY KEY (day, hive);
? CREATE UNIQUE INDEX weighings_once ON public.weighings (hive, day);

-- Sub-partitions
CREATE TABLE public.visits (day date NOT NULL, hive integer NOT NULL, ok boolean‹¦ DEFAULT true›) PARTITION BY RANGE (day);
CREATE TABLE public.visits_old PARTITION OF public.visits FOR VALUES FROM (MINVALUE) TO ('‹2024¦2025›-01-01');
CREATE TABLE public.visits_now PARTITION OF public.visits FOR VALUES FROM ('2025-01-01') TO (MAXVALUE) PARTITION BY HASH (hive);
CREATE TABLE public.visits_now_0 PARTITION OF public.visits_now FOR VALUES WITH (MODULUS 2, REMAINDER 0);
? CREATE TABLE public.visits_now_1 PARTITION OF public.visits_now FOR VALUES WITH (MODULUS ‹2¦4›, REMAINDER 1);
? CREATE INDEX visits_by_hive ON public.visits (hive);
? ALTER TABLE public.visits ADD CONSTRAINT hive_there CHECK (hive > ‹0¦1›);
CREATE FUNCTION public.visit() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
? CREATE TRIGGER visited AFTER ‹INSERT¦INSERT OR DELETE› ON public.visits FOR EACH ROW EXECUTE FUNCTION public.visit();

-- A partitioned table that is referred to
CREATE TABLE public.hive_years (hive integer, year integer, PRIMARY KEY (hive, year)) PARTITION BY LIST (year);
CREATE TABLE public.hive_years_2026 PARTITION OF public.hive_years FOR VALUES IN (2026);
? CREATE TABLE public.hive_years_2027 PARTITION OF public.hive_years FOR VALUES IN (2027);
? CREATE TABLE public.yields (hive integer, year integer, grams bigint, ‹¦CONSTRAINT of_year ›FOREIGN KEY (hive, year) REFERENCES public.hive_years‹¦ ON DELETE CASCADE›);
? CREATE TABLE public.stings (hive integer NOT NULL, year integer, FOREIGN KEY (hive, year) REFERENCES public.hive_years) PARTITION BY HASH (hive);

-- Keys of every form
CREATE TABLE public.members (id integer, code text‹¦ COLLATE "C"›, email varchar(‹100¦200›), up integer, PRIMARY KEY (id)‹¦ INCLUDE (code)›‹¦, UNIQUE NULLS NOT DISTINCT (email)¦, UNIQUE (email)›‹¦, CONSTRAINT by_code UNIQUE (code) INCLUDE (email)¦, CONSTRAINT by_code UNIQUE (code)¦, CONSTRAINT by_code UNIQUE (code) DEFERRABLE›);
? ALTER TABLE public.members ADD CONSTRAINT boss FOREIGN KEY (up) REFERENCES public.members‹¦ ON DELETE SET NULL¦ DEFERRABLE INITIALLY DEFERRED›;
? ALTER TABLE public.members REPLICA IDENTITY ‹FULL¦NOTHING¦USING INDEX members_pkey›;
? ALTER TABLE public.members CLUSTER ON members_pkey;
? ALTER TABLE public.members ADD CONSTRAINT short CHECK (length(code) < ‹10¦20›)‹¦ NOT VALID›;

-- Foreign keys of every form
CREATE TABLE public.farms (id integer NOT NULL, part smallint NOT NULL, PRIMARY KEY (id, part)‹¦, UNIQUE (part, id)›);
CREATE TABLE public.fields (farm integer‹¦ DEFAULT 1›, part smallint, name text);
? ALTER TABLE public.fields ADD CONSTRAINT of_farm FOREIGN KEY (farm, part) REFERENCES public.farms‹¦ MATCH FULL¦ ON DELETE SET NULL (part)¦ ON DELETE SET DEFAULT¦ ON UPDATE CASCADE ON DELETE RESTRICT¦ NOT VALID¦ DEFERRABLE¦ DEFERRABLE INITIALLY DEFERRED›;
? COMMENT ON CONSTRAINT farms_pkey ON public.farms IS 'what it is known by';

-- Tables that refer to each other
CREATE TABLE public.mothers (id integer PRIMARY KEY, hive integer);
CREATE TABLE public.boxes (id integer PRIMARY KEY, queen integer‹¦ REFERENCES public.mothers›);
? ALTER TABLE public.mothers ADD CONSTRAINT lives_in FOREIGN KEY (hive) REFERENCES public.boxes‹¦ ON DELETE CASCADE›;

-- What columns have
CREATE TABLE public.notes (id ‹smallint¦integer¦bigint› GENERATED ‹ALWAYS¦BY DEFAULT› AS IDENTITY‹¦ (START WITH 7 INCREMENT BY 2)¦ (MINVALUE 1 MAXVALUE 900 CYCLE)›, body text, tags text[]‹¦ DEFAULT '{}'¦ DEFAULT ARRAY['a', 'b']›, at timestamp(‹0¦3›) with time zone‹¦ DEFAULT now()›, flags bit(‹4¦8›), rate double precision‹¦ DEFAULT 0.5¦ DEFAULT '-1'›, span interval‹¦ DEFAULT '01:30:00'¦ DEFAULT '1 day'›);
? ALTER TABLE public.notes ALTER COLUMN body SET STORAGE ‹EXTERNAL¦MAIN›;
? ALTER TABLE public.notes ALTER COLUMN body SET COMPRESSION pglz;
? ALTER TABLE public.notes ALTER COLUMN body SET STATISTICS ‹50¦500›;
? ALTER TABLE public.notes ALTER COLUMN id SET (n_distinct = ‹5¦-0.5›);
? ALTER TABLE public.notes SET (‹autovacuum_enabled = false¦fillfactor = 80¦toast.autovacuum_enabled = false, fillfactor = 90›);
? COMMENT ON COLUMN public.notes.body IS 'it''s \ odd';

-- Generated columns
CREATE TABLE public.frames (wide integer, high integer, label text, area ‹integer¦bigint› GENERATED ALWAYS AS (wide * high‹¦ + 1›) STORED‹¦, shown text GENERATED ALWAYS AS (upper(label)) STORED›);
? CREATE INDEX frames_by_area ON public.frames (area);
? CREATE VIEW public.large_frames AS SELECT label, area FROM public.frames WHERE area > ‹100¦200›;

-- since 18: generated when read
CREATE TABLE public.scales (zero numeric, shown numeric, net numeric GENERATED ALWAYS AS (shown - zero‹¦ - 1›)‹ VIRTUAL¦ STORED›, CONSTRAINT fits CHECK (shown < ‹1000¦900›)‹¦ NOT ENFORCED›, note text‹ CONSTRAINT has_note NOT NULL¦›‹¦ DEFAULT ''›);
? CREATE TABLE public.shelves (id int4range‹¦ NOT NULL›, during daterange‹¦ NOT NULL›, CONSTRAINT shelf_key ‹PRIMARY KEY¦UNIQUE› (id, during‹ WITHOUT OVERLAPS¦›));

-- Copies and tables of a type
CREATE TYPE public.reading AS (at date, value numeric‹¦, unit text›);
? CREATE TABLE public.readings OF public.reading (‹PRIMARY KEY (at)¦value WITH OPTIONS NOT NULL DEFAULT 0¦CHECK (value > 0)›);
? CREATE TABLE public.measured (id integer, first public.reading‹¦, all_of_them public.reading[]›);
? CREATE TABLE public.remembered (id integer, LIKE public.reading‹¦›);

-- Row security
CREATE TABLE public.secrets (id integer PRIMARY KEY, owner text DEFAULT CURRENT_USER, level integer);
CREATE POLICY own ON public.secrets‹¦ AS RESTRICTIVE›‹¦ FOR SELECT¦ FOR DELETE› USING (owner = ‹CURRENT_USER¦SESSION_USER¦current_setting('honey.owner', true)›);
? CREATE POLICY added ON public.secrets FOR INSERT WITH CHECK (level ‹> 0¦BETWEEN 1 AND 9¦IN (1, 2)›);
? CREATE POLICY changed ON public.secrets FOR UPDATE USING (level < 5) WITH CHECK (level < ‹5¦6›);
? ALTER TABLE public.secrets ENABLE ROW LEVEL SECURITY;
? ALTER TABLE public.secrets FORCE ROW LEVEL SECURITY;

-- Indexes of every method
CREATE TABLE public.garden (id integer, tags text[], data jsonb, span int4range, place point, name text, words tsvector, kind character varying(20));
? CREATE INDEX garden_tags ON public.garden USING gin (tags)‹¦ WITH (fastupdate = off)›;
? CREATE INDEX garden_data ON public.garden USING gin (data‹¦ jsonb_path_ops›);
? CREATE INDEX garden_brin ON public.garden USING brin (id‹¦ int4_minmax_multi_ops (values_per_range = 32)›)‹¦ WITH (pages_per_range = 16)›;
? CREATE INDEX garden_hash ON public.garden USING hash (‹name¦kind›);
? CREATE INDEX garden_span ON public.garden USING ‹gist¦spgist› (span)‹¦ WHERE id > 0›;
? CREATE INDEX garden_place ON public.garden USING ‹gist¦spgist› (place);
? CREATE INDEX garden_words ON public.garden USING gist (words‹¦ tsvector_ops (siglen = '100')›);
? CREATE INDEX garden_search ON public.garden USING gin (to_tsvector('english', name‹¦ || ' ' || kind›));
? CREATE INDEX garden_name ON public.garden (name‹¦ text_pattern_ops¦ COLLATE "C" DESC NULLS LAST¦ NULLS FIRST›);
? CREATE UNIQUE INDEX garden_once ON public.garden (‹name¦lower(name)›)‹¦ NULLS NOT DISTINCT›;
? CREATE INDEX garden_more ON public.garden (id‹¦ DESC›)‹¦ INCLUDE (name)¦ INCLUDE (name, kind)›;
? CREATE INDEX garden_odd ON public.garden ((data ->> ‹'x'¦'y'›), (id % 7), coalesce(name, 'none'));
? CREATE INDEX garden_some ON public.garden (kind) WHERE kind ‹IN ('a', 'b')¦= 'a'¦LIKE 'a%'¦IS NOT NULL AND NOT id = 3¦<> ALL (ARRAY['x', 'y'])›;

-- Views that can be written
CREATE TABLE public.places (id integer PRIMARY KEY, name text, open boolean);
CREATE VIEW public.open_places‹¦ WITH (security_barrier = true)¦ WITH (security_invoker = true)› AS SELECT id, name‹¦, open› FROM public.places WHERE open‹¦ WITH CHECK OPTION¦ WITH LOCAL CHECK OPTION›;
? ALTER VIEW public.open_places ALTER COLUMN name SET DEFAULT 'new';
? CREATE VIEW public.few_places AS SELECT * FROM public.open_places WHERE id < ‹10¦100›;
? COMMENT ON COLUMN public.open_places.name IS 'as on the map';
? CREATE FUNCTION public.site_added() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
CREATE FUNCTION public.site_changed() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
? CREATE TRIGGER site_changed INSTEAD OF ‹INSERT¦UPDATE OR INSERT› ON public.open_places FOR EACH ROW EXECUTE FUNCTION public.site_changed();
? CREATE RULE no_delete AS ON DELETE TO public.open_places‹¦ WHERE old.id > 5› DO INSTEAD ‹NOTHING¦UPDATE public.places SET open = false WHERE places.id = old.id›;

-- Queries of every form
CREATE TABLE public.q (id integer, up integer, kind text, at timestamp, amount numeric(10,2), data jsonb, tags text[]);
? CREATE VIEW public.q_tree AS WITH RECURSIVE tree AS (SELECT id, 0 AS depth FROM public.q WHERE up IS NULL UNION‹¦ ALL› SELECT q.id, tree.depth + 1 FROM public.q JOIN tree ON tree.id = q.up) SELECT * FROM tree;
? CREATE VIEW public.q_window AS SELECT id, sum(amount) OVER (PARTITION BY kind ORDER BY at‹¦ ROWS BETWEEN 1 PRECEDING AND CURRENT ROW¦ RANGE UNBOUNDED PRECEDING›) AS running, rank() OVER w FROM public.q WINDOW w AS (ORDER BY amount DESC);
? CREATE VIEW public.q_union AS SELECT id, kind FROM public.q UNION‹¦ ALL› SELECT up, 'parent' FROM public.q ‹EXCEPT¦INTERSECT› SELECT 1, 'x' ORDER BY 1‹¦ DESC› LIMIT 5;
? CREATE VIEW public.q_lateral AS SELECT q.id, e.value, t.tag FROM public.q, LATERAL jsonb_array_elements(q.data) e‹¦ LEFT JOIN LATERAL (SELECT 1) y ON true›, unnest(q.tags) WITH ORDINALITY AS t(tag, n);
? CREATE VIEW public.q_case AS SELECT CASE WHEN amount > 5 THEN 'much' WHEN amount IS NULL THEN NULL ELSE ‹'little'¦'few'› END AS size, CASE kind WHEN 'a' THEN 1 ELSE 0 END AS a, nullif(kind, '') AS kind, greatest(id, up, 0) AS most FROM public.q;
? CREATE VIEW public.q_group AS SELECT kind, date_trunc('month', at) AS month, count(*) FILTER (WHERE amount > 0) AS paid, array_agg(id ORDER BY at DESC) AS ids, string_agg(DISTINCT kind, ', ') AS kinds FROM public.q GROUP BY ‹kind, date_trunc('month', at)¦1, 2¦ROLLUP (kind, date_trunc('month', at))› HAVING count(*) > 1;
? CREATE VIEW public.q_sub AS SELECT id, (SELECT max(x.amount) FROM public.q x WHERE x.up = q.id) AS most FROM public.q WHERE EXISTS (SELECT 1 FROM public.q y WHERE y.up = q.id) ‹AND¦OR› kind IN (SELECT kind FROM public.q z WHERE z.amount > 10) AND id <> ALL (ARRAY[1, 2]);
? CREATE VIEW public.q_words AS SELECT substring(kind FROM 2 FOR 3) AS s, position('a' IN kind) AS p, trim(BOTH ' ' FROM kind) AS t, overlay(kind PLACING 'x' FROM 1) AS o, kind ‹LIKE¦ILIKE¦SIMILAR TO¦NOT LIKE¦~*› 'a%' AS l, kind || ' ' || id AS both, kind COLLATE "C" AS c FROM public.q;
? CREATE VIEW public.q_times AS SELECT at AT TIME ZONE 'UTC' AS utc, at::date - 7 AS week, at + '1 day'::interval AS next, age(at) AS old, (at, at) OVERLAPS (now(), now()) AS o, ‹CURRENT_DATE¦LOCALTIMESTAMP(0)¦CURRENT_TIME› AS today FROM public.q;
? CREATE VIEW public.q_more AS SELECT DISTINCT ON (kind) kind, id IS DISTINCT FROM up AS moved, tags[1] AS first, tags[2:3] AS some, (id, up) = (1, 2) AS pair, data #>> '{a,b}' AS deep, data @> '{"x": ‹1¦2›}' AS has, ARRAY[id, up] AS both, -id AS minus, NOT (id > 1) AS no, amount::integer AS whole FROM public.q ORDER BY kind, at NULLS FIRST;
? CREATE VIEW public.q_join AS SELECT a.id, b.kind FROM public.q a ‹JOIN¦LEFT JOIN¦FULL JOIN› public.q b ON a.up = b.id ‹CROSS JOIN public.q c¦JOIN public.q c ON c.id = a.id¦, public.q c›;
? CREATE VIEW public.q_values (a, b) AS VALUES (1, 'x'), (‹2¦3›, 'y');
? CREATE MATERIALIZED VIEW public.q_kept AS SELECT kind, count(*) AS many‹¦, sum(amount) AS total› FROM public.q GROUP BY kind‹¦ WITH NO DATA›;

-- A stack of views
CREATE TABLE public.base (id integer, a ‹integer¦bigint¦numeric›, b text‹¦, c date›);
CREATE VIEW public.stack_1 AS SELECT id, a‹¦, b› FROM public.base;
CREATE MATERIALIZED VIEW public.stack_2 AS SELECT id, sum(a) AS a FROM public.stack_1 GROUP BY id;
? CREATE UNIQUE INDEX stack_2_key ON public.stack_2 (id);
? CREATE VIEW public.stack_3 AS SELECT s.* FROM public.stack_2 s WHERE a > ‹0¦1›;
? CREATE FUNCTION public.of_stack() RETURNS SETOF public.stack_1 LANGUAGE sql STABLE AS 'SELECT * FROM public.stack_1';
? COMMENT ON MATERIALIZED VIEW public.stack_2 IS 'kept';
? COMMENT ON VIEW public.stack_1 IS 'seen';

-- Ranges
CREATE TYPE public.weights AS RANGE (subtype = ‹numeric¦integer¦double precision›‹¦, multirange_type_name = public.many_weights›);
? CREATE TABLE public.classes (id integer, fits public.weights);
? COMMENT ON TYPE public.weights IS 'from, to';

-- Domains
CREATE DOMAIN public.code AS ‹text¦varchar(20)¦text COLLATE "C"›‹¦ DEFAULT 'x'›‹¦ NOT NULL› CONSTRAINT form CHECK (VALUE ~ '^[a-z‹¦0-9›]+$')‹¦ CHECK (length(VALUE) < 10)›;
CREATE DOMAIN public.codes AS text[]‹¦ CHECK (cardinality(VALUE) < 5)›;
? CREATE TABLE public.coded (id integer, main public.code, rest public.codes);
? COMMENT ON DOMAIN public.code IS 'short';

-- Enums in use
CREATE TYPE public.mood AS ENUM ('calm', ‹¦'busy', ›'angry'‹¦, 'gone'›);
CREATE TABLE public.moods (hive integer, mood public.mood DEFAULT 'calm', was public.mood[]‹¦ DEFAULT '{calm}'›‹¦, CHECK (mood <> 'angry')›);
? CREATE INDEX moods_calm ON public.moods (hive) WHERE mood = 'calm';
? CREATE VIEW public.calm AS SELECT hive FROM public.moods WHERE mood IN ('calm'‹¦, 'angry'›);
? CREATE FUNCTION public.is_calm(m public.mood) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT m = 'calm' $$;

-- Sequences
CREATE SEQUENCE public.lot_numbers‹¦ AS smallint¦ AS integer›‹¦ START WITH 10›‹¦ MINVALUE 0¦ MINVALUE -5›‹¦ MAXVALUE 1000›‹¦ CACHE 5›‹¦ CYCLE›;
CREATE TABLE public.numbered (id bigint DEFAULT nextval('public.lot_numbers'), other integer);
? ALTER SEQUENCE public.lot_numbers OWNED BY public.numbered.‹id¦other›;
? COMMENT ON SEQUENCE public.lot_numbers IS 'one after the other';

-- Functions of every form
CREATE FUNCTION public.f_attributes(a integer, VARIADIC rest text[]‹¦ DEFAULT '{}'›) RETURNS text LANGUAGE plpgsql ‹IMMUTABLE¦STABLE¦VOLATILE›‹¦ STRICT›‹¦ SECURITY DEFINER›‹¦ LEAKPROOF›‹¦ PARALLEL SAFE¦ PARALLEL RESTRICTED› COST ‹100¦5› SET search_path ‹TO 'public'¦FROM CURRENT¦= public, pg_temp› AS $$ BEGIN RETURN a; END $$;
? CREATE FUNCTION public.f_out(a integer, OUT b integer, INOUT c ‹text¦integer›) LANGUAGE sql AS 'SELECT $1, $2';
? CREATE FUNCTION public.f_table(‹¦a integer›) RETURNS TABLE(x integer, y ‹text¦name›) LANGUAGE sql ROWS ‹10¦1000› AS $$ SELECT 1, 'a' $$;
? CREATE FUNCTION public.f_body(a integer) RETURNS ‹integer¦bigint› LANGUAGE sql ‹RETURN a + 1¦BEGIN ATOMIC SELECT a + 1; END›;
? CREATE PROCEDURE public.p(‹a integer¦a integer, b text DEFAULT 'x'¦INOUT a integer›) LANGUAGE plpgsql AS $$ BEGIN ‹NULL¦COMMIT›; END $$;
? CREATE FUNCTION public.f_set() RETURNS SETOF ‹integer¦text› LANGUAGE plpgsql AS 'BEGIN RETURN; END';
? COMMENT ON FUNCTION public.f_attributes(integer, text[]) IS 'many';

-- Functions that are used
CREATE FUNCTION public.twice(a ‹integer¦bigint›) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT (a * 2)::integer';
CREATE TABLE public.twice_used (a integer‹¦ DEFAULT public.twice(2)›‹¦, CHECK (public.twice(a) > 0)›);
? CREATE INDEX twice_index ON public.twice_used (public.twice(a));
? CREATE VIEW public.twice_view AS SELECT public.twice(a) AS b FROM public.twice_used;
? CREATE FUNCTION public.four_times(a integer) RETURNS integer LANGUAGE sql IMMUTABLE RETURN public.twice(public.twice(a));

-- Functions of a row
CREATE TABLE public.rows_of (id integer, name text‹¦, more text›);
CREATE FUNCTION public.name_of(r public.rows_of) RETURNS text LANGUAGE sql IMMUTABLE AS 'SELECT r.name';
? CREATE FUNCTION public.all_rows() RETURNS SETOF public.rows_of LANGUAGE sql AS 'SELECT * FROM public.rows_of';
? CREATE VIEW public.named_rows AS SELECT r.id, public.name_of(r.*) AS name FROM public.rows_of r;

-- Aggregates
CREATE FUNCTION public.add_up(state bigint, value integer) RETURNS bigint LANGUAGE sql IMMUTABLE AS 'SELECT state + value';
CREATE AGGREGATE public.total(integer) (SFUNC = public.add_up, STYPE = bigint‹¦, INITCOND = '0'¦, INITCOND = '1'›‹¦, PARALLEL = SAFE›);
? COMMENT ON AGGREGATE public.total(integer) IS 'sum';
? CREATE VIEW public.totals AS SELECT public.total(x) AS all_of_it FROM generate_series(1, 3) x;

-- Triggers of every form
CREATE TABLE public.watched (id integer, name text, at timestamp);
CREATE FUNCTION public.watch() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
? CREATE TRIGGER each AFTER ‹INSERT¦UPDATE OF name, id¦DELETE OR TRUNCATE› ON public.watched FOR EACH STATEMENT EXECUTE FUNCTION public.watch(‹¦'a', 'it''s'›);
? CREATE CONSTRAINT TRIGGER late AFTER ‹INSERT¦INSERT OR UPDATE› ON public.watched DEFERRABLE‹¦ INITIALLY DEFERRED› FOR EACH ROW‹¦ WHEN (new.id > 0)› EXECUTE FUNCTION public.watch();
? CREATE TRIGGER moved AFTER UPDATE ON public.watched REFERENCING OLD TABLE AS before‹¦ NEW TABLE AS after› FOR EACH STATEMENT EXECUTE FUNCTION public.watch();
CREATE TRIGGER first BEFORE UPDATE ON public.watched FOR EACH ROW WHEN (old.name IS DISTINCT FROM new.name‹¦ AND new.at > now()›) EXECUTE FUNCTION public.watch();
? ALTER TABLE public.watched ‹DISABLE¦ENABLE ALWAYS¦ENABLE REPLICA› TRIGGER first;
? COMMENT ON TRIGGER first ON public.watched IS 'what comes first';
? CREATE RULE kept AS ON ‹UPDATE¦DELETE› TO public.watched WHERE old.id < 0 DO ‹ALSO¦INSTEAD› NOTHING;

-- Event triggers
CREATE FUNCTION public.on_event() RETURNS event_trigger LANGUAGE plpgsql AS 'BEGIN END';
CREATE EVENT TRIGGER ddl ON ‹ddl_command_end¦sql_drop›‹¦ WHEN TAG IN ('CREATE CAST')› EXECUTE FUNCTION public.on_event();
? ALTER EVENT TRIGGER ddl DISABLE;

-- Operators and casts
CREATE TYPE public.money_of AS (amount numeric, unit text);
CREATE FUNCTION public.money_add(public.money_of, public.money_of) RETURNS public.money_of LANGUAGE sql IMMUTABLE AS 'SELECT $1';
CREATE OPERATOR public.+ (FUNCTION = public.money_add, LEFTARG = public.money_of, RIGHTARG = public.money_of‹¦, COMMUTATOR = OPERATOR(public.+)›);
? CREATE FUNCTION public.money_text(public.money_of) RETURNS text LANGUAGE sql IMMUTABLE AS 'SELECT $1.unit';
CREATE FUNCTION public.money_number(public.money_of) RETURNS numeric LANGUAGE sql IMMUTABLE AS 'SELECT $1.amount';
? CREATE CAST (public.money_of AS numeric) WITH FUNCTION public.money_number(public.money_of)‹¦ AS ASSIGNMENT¦ AS IMPLICIT›;

-- Text search
CREATE TEXT SEARCH DICTIONARY public.plain (TEMPLATE = simple‹¦, stopwords = english›);
CREATE TEXT SEARCH CONFIGURATION public.honey (‹PARSER = "default"¦PARSER = pg_catalog."default"›);
ALTER TEXT SEARCH CONFIGURATION public.honey ‹ADD MAPPING FOR email¦ADD MAPPING FOR word› WITH public.plain;

-- Statistics
CREATE TABLE public.counted (a integer, b integer, c text);
CREATE STATISTICS public.counts‹¦ (ndistinct)¦ (dependencies, mcv)› ON a, b‹¦, c› FROM public.counted;
? CREATE STATISTICS public.lengths ON length(c), (a + ‹b¦1›) FROM public.counted;
? ALTER STATISTICS public.counts SET STATISTICS ‹50¦100›;

-- Collations and conversions
CREATE COLLATION public.plainly (‹provider = libc, locale = 'C'¦locale = 'POSIX'›);
? CREATE TABLE public.collated (name text COLLATE public.plainly);
? CREATE CONVERSION public.to_utf ‹FOR 'LATIN1' TO 'UTF8' FROM iso8859_1_to_utf8¦FOR 'LATIN2' TO 'UTF8' FROM iso8859_to_utf8›;

-- Foreign data
CREATE FOREIGN DATA WRAPPER elsewhere‹¦ OPTIONS (format 'a')¦ OPTIONS (format 'b', encoding 'c')›;
CREATE SERVER far‹¦ TYPE 'honey'› FOREIGN DATA WRAPPER elsewhere‹¦ OPTIONS (host 'far.example')›;
? CREATE USER MAPPING FOR ‹PUBLIC¦postgres› SERVER far;
? CREATE FOREIGN TABLE public.far_hives (id integer‹¦ NOT NULL›, name text‹¦ OPTIONS (column_name 'title')›‹¦, weight numeric›) SERVER far‹¦ OPTIONS (path '/hives')›;

-- Publications
CREATE TABLE public.published (id integer PRIMARY KEY, name text, at date);
CREATE PUBLICATION news‹¦ FOR TABLE public.published¦ FOR TABLE public.published (id, name)¦ FOR TABLE public.published WHERE (id > 5)¦ FOR ALL TABLES¦ FOR TABLES IN SCHEMA public›‹¦ WITH (publish = 'insert, update')›;

-- Enums in partitions
CREATE TYPE public.weather AS ENUM ('sunny', ‹¦'rainy', ›'windy');
CREATE TABLE public.days (day date NOT NULL, weather public.weather‹¦ DEFAULT 'sunny'›‹¦, CHECK (weather <> 'windy')›) PARTITION BY RANGE (day);
CREATE TABLE public.days_2026 PARTITION OF public.days‹¦ (weather DEFAULT 'windy')› FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
? CREATE INDEX days_by_weather ON public.days (weather);

-- Columns computed by functions
CREATE FUNCTION public.thrice(a ‹integer¦bigint›) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT (a * 3)::integer';
CREATE TABLE public.computed (a integer, b integer‹ GENERATED ALWAYS AS (public.thrice(a)) STORED¦ GENERATED ALWAYS AS (a + 1) STORED¦›);
? CREATE INDEX computed_by_b ON public.computed (b);
? CREATE VIEW public.computed_shown AS SELECT a, b FROM public.computed WHERE b > ‹5¦6›;
? CREATE VIEW public.computed_all AS SELECT c.*, public.thrice(c.a) AS more FROM public.computed c;
? CREATE STATISTICS public.computed_counts ON a, b FROM public.computed;
? CREATE FUNCTION public.computed_sum() RETURNS bigint LANGUAGE sql BEGIN ATOMIC SELECT sum(b) FROM public.computed; END;
? CREATE TABLE public.computed_sums (day date, b bigint DEFAULT ‹0¦public.thrice(7)›);

-- Default operator classes
CREATE TYPE public.strength AS (proof integer, scale text);
CREATE FUNCTION public.weaker(public.strength, public.strength) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT ($1).proof < ($2).proof';
CREATE FUNCTION public.equally_strong(public.strength, public.strength) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT ($1).proof = ($2).proof';
CREATE FUNCTION public.stronger(public.strength, public.strength) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT ($1).proof - ($2).proof';
CREATE OPERATOR public.<< (FUNCTION = public.weaker, LEFTARG = public.strength, RIGHTARG = public.strength);
CREATE OPERATOR public.~= (FUNCTION = public.equally_strong, LEFTARG = public.strength, RIGHTARG = public.strength);
CREATE OPERATOR CLASS public.by_proof DEFAULT FOR TYPE public.strength USING btree AS ‹OPERATOR 1 public.<<, ¦›OPERATOR 3 public.~=, FUNCTION 1 public.stronger(public.strength, public.strength);
CREATE TABLE public.meads (name text, strength public.strength);
? CREATE INDEX meads_by_strength ON public.meads (strength);
? CREATE INDEX meads_by_name_and_strength ON public.meads (name, strength public.by_proof DESC);

-- Columns that are published
CREATE TABLE public.harvests_out (id integer NOT NULL PRIMARY KEY, kind ‹text¦varchar(20)›, grams ‹integer¦bigint¦numeric›‹¦, note text›);
? CREATE PUBLICATION harvest_columns FOR TABLE public.harvests_out (id, grams);
? CREATE PUBLICATION harvest_rows FOR TABLE public.harvests_out WHERE (id ‹>¦<› 100);
