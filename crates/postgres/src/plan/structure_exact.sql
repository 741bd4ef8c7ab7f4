WITH names (schema, name) AS (VALUES /*names*/),
relations AS (
    SELECT c.oid, n.nspname || '.' || c.relname AS shown, c.relkind
    FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
    WHERE (n.nspname, c.relname) IN (SELECT schema, name FROM names)
),
facts (shown, fact) AS (
    SELECT shown, concat_ws(' ', 'relation', relkind) FROM relations
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'column', a.attname, pg_catalog.format_type(a.atttypid, a.atttypmod), a.attnotnull, a.attidentity,
        a.attgenerated, a.attcollation, pg_catalog.pg_get_expr(d.adbin, d.adrelid))
    FROM relations r JOIN pg_catalog.pg_attribute a ON a.attrelid = r.oid
    LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
    WHERE a.attnum > 0 AND NOT a.attisdropped
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'constraint', k.conname, pg_catalog.pg_get_constraintdef(k.oid), k.convalidated)
    FROM relations r JOIN pg_catalog.pg_constraint k ON r.oid IN (k.conrelid, k.confrelid)
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'index', pg_catalog.pg_get_indexdef(i.indexrelid), i.indisvalid)
    FROM relations r JOIN pg_catalog.pg_index i ON i.indrelid = r.oid
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'trigger', pg_catalog.pg_get_triggerdef(t.oid), t.tgenabled)
    FROM relations r JOIN pg_catalog.pg_trigger t ON t.tgrelid = r.oid WHERE NOT t.tgisinternal
    UNION ALL
    SELECT r.shown, 'rule ' || pg_catalog.pg_get_ruledef(w.oid)
    FROM relations r JOIN pg_catalog.pg_rewrite w ON w.ev_class = r.oid
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'policy', p.polname, p.polcmd, p.polpermissive, pg_catalog.pg_get_expr(p.polqual, p.polrelid),
        pg_catalog.pg_get_expr(p.polwithcheck, p.polrelid))
    FROM relations r JOIN pg_catalog.pg_policy p ON p.polrelid = r.oid
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'child', h.inhrelid::pg_catalog.regclass)
    FROM relations r JOIN pg_catalog.pg_inherits h ON h.inhparent = r.oid
    UNION ALL
    SELECT r.shown, concat_ws(' ', 'sequence', s.seqtypid::pg_catalog.regtype, s.seqstart, s.seqincrement, s.seqmax, s.seqmin, s.seqcycle)
    FROM relations r JOIN pg_catalog.pg_sequence s ON s.seqrelid = r.oid
    UNION ALL
    SELECT n.nspname || '.' || p.proname, 'routine ' || pg_catalog.pg_get_functiondef(p.oid)
    FROM pg_catalog.pg_proc p JOIN pg_catalog.pg_namespace n ON n.oid = p.pronamespace
    WHERE (n.nspname, p.proname) IN (SELECT schema, name FROM names) AND p.prokind <> 'a'
    UNION ALL
    SELECT n.nspname || '.' || t.typname, concat_ws(' ', 'type', t.typtype, pg_catalog.format_type(t.typbasetype, t.typtypmod), t.typnotnull,
        t.typdefault, (SELECT string_agg(e.enumlabel, ',' ORDER BY e.enumsortorder) FROM pg_catalog.pg_enum e WHERE e.enumtypid = t.oid),
        (SELECT string_agg(pg_catalog.pg_get_constraintdef(k.oid), ',' ORDER BY k.conname) FROM pg_catalog.pg_constraint k WHERE k.contypid = t.oid))
    FROM pg_catalog.pg_type t JOIN pg_catalog.pg_namespace n ON n.oid = t.typnamespace
    WHERE (n.nspname, t.typname) IN (SELECT schema, name FROM names) AND t.typtype IN ('e', 'd', 'r')
)
SELECT shown || ' ' || pg_catalog.encode(pg_catalog.sha256(pg_catalog.convert_to(
    string_agg(fact, E'\n' ORDER BY fact COLLATE "C"), 'UTF8')), 'hex')
FROM facts GROUP BY shown
