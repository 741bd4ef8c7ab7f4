WITH names (schema, name) AS (VALUES /*names*/),
relations AS (
    SELECT c.oid, n.nspname || '.' || c.relname AS shown, c.relkind
    FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
    WHERE (n.nspname, c.relname) IN (SELECT schema, name FROM names) AND c.relkind IN ('r', 'p', 'v', 'm', 'f')
)
SELECT 'relation ' || shown FROM relations
UNION ALL
SELECT 'columns of ' || r.shown || ': ' || string_agg(a.attname, ', ' ORDER BY a.attname COLLATE "C")
FROM relations r JOIN pg_catalog.pg_attribute a ON a.attrelid = r.oid
WHERE a.attnum > 0 AND NOT a.attisdropped AND r.relkind IN ('r', 'p') GROUP BY r.shown
UNION ALL
SELECT 'index ' || c.relname || ' on ' || r.shown
FROM relations r JOIN pg_catalog.pg_index i ON i.indrelid = r.oid JOIN pg_catalog.pg_class c ON c.oid = i.indexrelid
WHERE NOT c.relispartition AND NOT EXISTS (
    SELECT FROM pg_catalog.pg_constraint k WHERE k.conindid = c.oid AND k.contype IN ('p', 'u', 'x'))
UNION ALL
SELECT 'trigger ' || t.tgname || ' on ' || r.shown FROM relations r JOIN pg_catalog.pg_trigger t ON t.tgrelid = r.oid
WHERE NOT t.tgisinternal AND t.tgparentid = 0
UNION ALL
SELECT 'rule ' || w.rulename || ' on ' || r.shown FROM relations r JOIN pg_catalog.pg_rewrite w ON w.ev_class = r.oid
WHERE w.rulename <> '_RETURN'
UNION ALL
SELECT 'policy ' || p.polname || ' on ' || r.shown FROM relations r JOIN pg_catalog.pg_policy p ON p.polrelid = r.oid
