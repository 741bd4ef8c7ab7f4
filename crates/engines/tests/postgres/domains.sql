-- Columns of domains, wherever an expression can have one.
CREATE SCHEMA payouts;
CREATE DOMAIN payouts.amount AS numeric(10, 2) NOT NULL CHECK (VALUE >= 0);
CREATE DOMAIN word AS varchar(10);
CREATE TABLE payouts.payments (id int, paid payouts.amount, w word, member bigint);
CREATE VIEW v AS SELECT sum(p.paid), upper(p.w), p.paid + 1 AS q, abs(paid), round(paid), max(w) FROM payouts.payments p GROUP BY id, w, paid;
CREATE VIEW payouts.v AS SELECT sum(p.paid), upper(p.w) FROM payouts.payments p GROUP BY w;
CREATE VIEW payouts.v2 AS SELECT (SELECT sum(p.paid) FROM payouts.payments p), upper(p.w) FROM payouts.payments p GROUP BY w;
CREATE FUNCTION payouts.total(member bigint) RETURNS numeric LANGUAGE sql STABLE
RETURN (SELECT sum(p.paid) FROM payouts.payments p WHERE p.member = total.member);
CREATE FUNCTION payouts.total3(member bigint) RETURNS numeric LANGUAGE sql STABLE
RETURN (SELECT sum(p.paid) FROM payouts.payments p);
CREATE FUNCTION total2(member bigint) RETURNS numeric LANGUAGE sql STABLE
BEGIN ATOMIC SELECT sum(p.paid) FROM payouts.payments p WHERE p.member = total2.member; END;
CREATE DOMAIN flag AS boolean DEFAULT false;
CREATE DOMAIN day AS date;
CREATE DOMAIN tags AS text[];
CREATE DOMAIN doc AS jsonb;
CREATE DOMAIN num AS int CHECK (VALUE > 0);
CREATE TABLE d (f flag, day day, tags tags, doc doc, num num PRIMARY KEY, num2 num CHECK (num2 > num), w word DEFAULT 'x', CHECK (f IS TRUE OR f), CHECK (num IN (1,2,3)), am payouts.amount CHECK (am BETWEEN 1 AND 5), g int GENERATED ALWAYS AS (num * 2) STORED);
CREATE INDEX ON d (lower(w)) WHERE f AND num > 3;
CREATE INDEX ON d (num, (num + 1), abs(num));
CREATE VIEW dv AS SELECT f AND true AS a, NOT f AS b, day + 1 AS c, day > '2020-01-01' AS e, tags[1] AS t, tags || '{a}' AS t2, array_length(tags, 1), doc ->> 'a' AS da, doc @> '{"a":1}' AS db, num * 2 AS n2, num = num2 AS ne, num IN (1, 2) AS ni, CASE WHEN f THEN num ELSE 0 END AS cs, coalesce(num, 1) AS co, coalesce(w, 'x') AS cw, w = 'a' AS we, w LIKE 'a%' AS wl, w || 'x' AS wx, num::text AS nt, num::bigint AS nb, num::int AS ni2, sum(num) OVER (PARTITION BY f ORDER BY day), 'a' = ANY (tags) AS an, unnest(tags) AS u, greatest(num, 3) AS gr, nullif(num, 3) AS nl, -num AS neg, am * 1.5 AS am, num BETWEEN 1 AND 3 AS bt, day BETWEEN '2020-01-01' AND now() AS bd, to_char(day, 'YYYY') AS tc, extract(year FROM day) AS ex, num IS NULL AS nu, num IS DISTINCT FROM num2 AS di FROM d;
CREATE VIEW dj AS SELECT a.num FROM d a JOIN d b ON a.num = b.num2 AND b.f WHERE a.f;
CREATE VIEW du AS SELECT * FROM d JOIN (SELECT num, 1 AS k FROM d) x USING (num);
CREATE VIEW dun AS SELECT num FROM d UNION ALL SELECT 1 ORDER BY num;
