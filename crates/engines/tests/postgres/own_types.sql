-- Types of one's own with all that they bring, written as the scripts of extensions write them.
CREATE SCHEMA scales;
SET search_path = scales, public;
CREATE TYPE grams;
CREATE FUNCTION grams_in(cstring) RETURNS grams LANGUAGE internal IMMUTABLE STRICT AS 'int4in';
CREATE FUNCTION grams_out(grams) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT COST 1 AS 'int4out';
CREATE TYPE grams (input = grams_in, output = grams_out, like = int4);
CREATE FUNCTION grams_recv(internal) RETURNS grams LANGUAGE internal IMMUTABLE STRICT AS 'int4recv';
CREATE FUNCTION grams_send(grams) RETURNS bytea LANGUAGE internal IMMUTABLE STRICT AS 'int4send';
ALTER TYPE grams SET (RECEIVE = grams_recv, SEND = grams_send);
CREATE FUNCTION grams_lt(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4lt';
CREATE FUNCTION grams_le(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4le';
CREATE FUNCTION grams_eq(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4eq';
CREATE FUNCTION grams_ne(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4ne';
CREATE FUNCTION grams_ge(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4ge';
CREATE FUNCTION grams_gt(grams, grams) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4gt';
CREATE FUNCTION grams_cmp(grams, grams) RETURNS int4 LANGUAGE internal IMMUTABLE STRICT AS 'btint4cmp';
CREATE FUNCTION grams_hash(grams) RETURNS int4 LANGUAGE internal IMMUTABLE STRICT AS 'hashint4';
CREATE FUNCTION grams_larger(grams, grams) RETURNS grams LANGUAGE internal IMMUTABLE STRICT AS 'int4larger';
CREATE FUNCTION grams_diff(grams, grams) RETURNS float8 LANGUAGE internal IMMUTABLE STRICT AS 'int4range_subdiff';
CREATE FUNCTION grams_lt(grams, int4) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4lt';
CREATE FUNCTION grams_cmp(grams, int4) RETURNS int4 LANGUAGE internal IMMUTABLE STRICT AS 'btint4cmp';
CREATE FUNCTION heaviest(_text) RETURNS text LANGUAGE sql AS 'SELECT $1[1]';
CREATE OPERATOR < (leftarg = grams, rightarg = grams, procedure = grams_lt, commutator = >, negator = >=, restrict = scalarltsel, join = scalarltjoinsel);
CREATE OPERATOR <= (leftarg = grams, rightarg = grams, procedure = grams_le, commutator = >=, negator = >);
CREATE OPERATOR = (leftarg = grams, rightarg = grams, procedure = grams_eq, commutator = =, negator = !=, hashes, merges);
CREATE OPERATOR != (leftarg = grams, rightarg = grams, procedure = grams_ne, commutator = <>, negator = =);
CREATE OPERATOR >= (leftarg = grams, rightarg = grams, procedure = grams_ge, commutator = <=, negator = <);
CREATE OPERATOR > (leftarg = grams, rightarg = grams, procedure = grams_gt, commutator = <, negator = <=);
CREATE OPERATOR < (leftarg = grams, rightarg = int4, procedure = grams_lt);
CREATE OPERATOR public.&> (leftarg = grams, rightarg = grams, procedure = grams_gt);
ALTER OPERATOR <= (grams, grams) SET (RESTRICT = scalarlesel, JOIN = scalarlejoinsel);
ALTER OPERATOR > (grams, grams) SET (RESTRICT = scalargtsel, JOIN = NONE);
-- Families that nobody named, and members that leave their types out.
CREATE OPERATOR CLASS grams_ops DEFAULT FOR TYPE grams USING btree AS
  OPERATOR 1 <, OPERATOR 2 <=, OPERATOR 3 =, OPERATOR 4 >=, OPERATOR 5 >,
  FUNCTION 1 grams_cmp(grams, grams), STORAGE grams;
CREATE OPERATOR CLASS grams_ops DEFAULT FOR TYPE grams USING hash AS OPERATOR 1 =, FUNCTION 1 grams_hash(grams);
ALTER OPERATOR FAMILY grams_ops USING btree ADD
  OPERATOR 1 < (grams, int4), FUNCTION 1 (grams, int4) grams_cmp(grams, int4);
-- In a family of the engine.
CREATE OPERATOR CLASS grams_as_numbers FOR TYPE grams USING btree FAMILY integer_ops AS
  OPERATOR 1 <, OPERATOR 2 <=, OPERATOR 3 =, OPERATOR 4 >=, OPERATOR 5 >, FUNCTION 1 grams_cmp(grams, grams);
CREATE OPERATOR FAMILY loose USING gin;
ALTER OPERATOR FAMILY loose USING gin ADD OPERATOR 1 public.&> (grams, grams), OPERATOR 2 > (grams, grams);
ALTER OPERATOR FAMILY loose USING gin DROP OPERATOR 2 (grams);
CREATE AGGREGATE heaviest (grams) (sfunc = grams_larger, stype = grams, sortop = >);
CREATE TYPE grams_range AS RANGE (subtype = grams, subtype_diff = grams_diff, multirange_type_name = grams_ranges);
CREATE FUNCTION to_grams(text) RETURNS grams LANGUAGE sql IMMUTABLE AS 'SELECT $1::integer::text::scales.grams';
CREATE CAST (text AS grams) WITH FUNCTION to_grams(text) AS ASSIGNMENT;
CREATE CAST (grams AS int4) WITHOUT FUNCTION AS IMPLICIT;
CREATE CAST (grams AS varchar) WITH INOUT;
COMMENT ON CAST (grams AS int4) IS 'the same bits';
COMMENT ON OPERATOR FAMILY grams_ops USING btree IS 'by weight';
COMMENT ON OPERATOR CLASS grams_ops USING hash IS '';
COMMENT ON OPERATOR < (grams, grams) IS 'lighter';
-- A domain with the name of the function that its rule calls.
CREATE FUNCTION full_crate() RETURNS int4 LANGUAGE sql IMMUTABLE AS 'SELECT 25000';
CREATE DOMAIN full_crate AS grams CHECK (VALUE < scales.full_crate());
CREATE TABLE weighings (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, weight grams NOT NULL DEFAULT '0', label varchar(20), tags _text);
CREATE INDEX weighings_weight ON weighings (weight);
CREATE UNIQUE INDEX one_row_only ON weighings ((true)) WHERE label = 'scale';
CREATE FUNCTION labelled(weighings.label%TYPE, w weighings.weight%TYPE DEFAULT '1') RETURNS SETOF weighings LANGUAGE sql AS 'SELECT * FROM scales.weighings WHERE label = $1';
CREATE VIEW heavy AS SELECT w.* FROM weighings w WHERE w.weight > '100'::grams AND NOT w.weight &>('5'::grams);
CREATE VIEW listed AS SELECT f.* FROM json_to_recordset('[]') AS f (id int8, weight float4, label varchar(5));
CREATE FUNCTION gone(int) RETURNS int LANGUAGE sql AS 'SELECT 1';
DROP FUNCTION gone;
CREATE FUNCTION gone(int, text) RETURNS int LANGUAGE sql AS 'SELECT 2';
COMMENT ON FUNCTION gone IS 'not any more';
CREATE TYPE reading AS (weight int4, note text);
ALTER TYPE reading ALTER ATTRIBUTE weight TYPE grams, ADD ATTRIBUTE at date;
ALTER TYPE reading RENAME ATTRIBUTE note TO remark;
CREATE TABLE hardly (id int GENERATED BY DEFAULT AS IDENTITY, x float8 DEFAULT '+infinity');
ALTER TABLE hardly RENAME TO barely;
ALTER TABLE barely RENAME COLUMN id TO number;
