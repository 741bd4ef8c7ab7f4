WITH other_storage AS MATERIALIZED (
  -- Most types of varying length are stored EXTENDED; these are not.
  SELECT array_agg(oid) AS types, array_agg(oid::bigint << 8 | ascii(typstorage::text)) AS pairs FROM pg_type WHERE typlen = -1 AND typstorage <> 'x'
), parents AS (
  SELECT h.inhrelid, string_agg(format('%I.%I', pn.nspname, pc.relname), ', ' ORDER BY h.inhseqno) AS listed
  FROM pg_inherits h JOIN pg_class pc ON pc.oid = h.inhparent JOIN pg_namespace pn ON pn.oid = pc.relnamespace
  WHERE pc.relkind IN ('r', 'p', 'f')
  GROUP BY h.inhrelid
), settings AS (
  -- The settings of constraints' indexes, which the server's function leaves out.
  SELECT k.conrelid, string_agg(concat(
    CASE WHEN i.reloptions IS NOT NULL THEN format(E'\nALTER INDEX %I.%I SET (%s);', n.nspname, i.relname,
      (SELECT string_agg(format('%I = %L', o.option_name, o.option_value), ', ') FROM pg_options_to_table(i.reloptions) o)) END,
    CASE WHEN s.spcname IS NOT NULL THEN format(E'\nALTER INDEX %I.%I SET TABLESPACE %I;', n.nspname, i.relname, s.spcname) END), '' ORDER BY k.conname) AS changes
  FROM pg_constraint k JOIN pg_class i ON i.oid = k.conindid JOIN pg_namespace n ON n.oid = i.relnamespace LEFT JOIN pg_tablespace s ON s.oid = i.reltablespace
  WHERE k.contype IN ('p', 'u', 'x') AND k.conparentid = 0 AND k.conislocal AND (i.reloptions IS NOT NULL OR i.reltablespace <> 0)
  GROUP BY k.conrelid
)
SELECT c.oid, n.nspname, c.relname, c.relkind, c.relpersistence = 'u', pg_get_userbyid(c.relowner),
  -- What follows the parentheses of CREATE TABLE.
  CASE WHEN NOT c.relispartition AND p.listed IS NOT NULL THEN E'\nINHERITS (' || p.listed || ')' ELSE '' END
    || CASE WHEN c.relkind = 'p' THEN E'\nPARTITION BY ' || pg_get_partkeydef(c.oid) ELSE '' END
    || CASE WHEN c.relkind = 'f' OR c.reloptions IS NOT NULL OR tc.reloptions IS NOT NULL OR am.amname <> 'heap' OR c.reltablespace <> 0
    THEN concat(
    (SELECT format(E'\nSERVER %I%s', s.srvname, (SELECT format(' OPTIONS (%s)', string_agg(format('%I %L', o.option_name, o.option_value), ', ' ORDER BY o.option_name)) FROM pg_options_to_table(ft.ftoptions) o HAVING count(*) > 0))
     FROM pg_foreign_table ft JOIN pg_foreign_server s ON s.oid = ft.ftserver WHERE ft.ftrelid = c.oid),
    CASE WHEN am.amname <> 'heap' THEN format(E'\nUSING %I', am.amname) END,
    (SELECT format(E'\nWITH (%s)', string_agg(x.prefix || o.option_name || ' = ' || quote_literal(o.option_value), ', '))
     FROM (VALUES ('', c.reloptions), ('toast.', tc.reloptions)) x(prefix, options), pg_options_to_table(x.options) o HAVING count(*) > 0),
    CASE WHEN ts.spcname IS NOT NULL THEN format(E'\nTABLESPACE %I', ts.spcname) END) ELSE '' END,
  -- What can't be said there.
  coalesce(settings.changes, '')
    || CASE WHEN cols.altered THEN coalesce((SELECT string_agg(concat(
        CASE WHEN a.attidentity <> '' AND NOT a.attislocal AND NOT c.relispartition THEN (SELECT format(E'\nALTER TABLE %I.%I ALTER COLUMN %I ADD GENERATED %s AS IDENTITY (SEQUENCE NAME %I.%I START %s INCREMENT %s MINVALUE %s MAXVALUE %s CACHE %s%s%s);',
            n.nspname, c.relname, a.attname, CASE a.attidentity WHEN 'a' THEN 'ALWAYS' ELSE 'BY DEFAULT' END, sn.nspname, sc.relname,
            s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache, CASE WHEN s.seqcycle THEN ' CYCLE' ELSE '' END,
          '' /*15+ || CASE WHEN sc.relpersistence = c.relpersistence THEN '' WHEN sc.relpersistence = 'u' THEN ' UNLOGGED' ELSE ' LOGGED' END*/)
          FROM pg_depend i JOIN pg_sequence s ON s.seqrelid = i.objid JOIN pg_class sc ON sc.oid = i.objid JOIN pg_namespace sn ON sn.oid = sc.relnamespace
          WHERE i.classid = 'pg_class'::regclass AND i.refclassid = 'pg_class'::regclass AND i.refobjid = a.attrelid AND i.refobjsubid = a.attnum AND i.deptype = 'i') END,
        CASE WHEN NOT a.attislocal AND NOT c.relispartition AND d.adbin IS NOT NULL AND a.attgenerated = '' AND NOT EXISTS (
            SELECT FROM pg_inherits h JOIN pg_attribute pa ON pa.attrelid = h.inhparent AND pa.attname = a.attname
            JOIN pg_attrdef pd ON pd.adrelid = pa.attrelid AND pd.adnum = pa.attnum
            WHERE h.inhrelid = a.attrelid AND pg_get_expr(pd.adbin, pd.adrelid) = pg_get_expr(d.adbin, d.adrelid))
          THEN format(E'\nALTER TABLE ONLY %I.%I ALTER COLUMN %I SET DEFAULT %s;', n.nspname, c.relname, a.attname, pg_get_expr(d.adbin, d.adrelid)) END,
        CASE WHEN a.attinhcount > 0 AND NOT c.relispartition AND d.adbin IS NULL AND EXISTS (
            SELECT FROM pg_inherits h JOIN pg_attribute pa ON pa.attrelid = h.inhparent AND pa.attname = a.attname
            WHERE h.inhrelid = a.attrelid AND pa.atthasdef AND pa.attgenerated = '')
          THEN format(E'\nALTER TABLE ONLY %I.%I ALTER COLUMN %I SET DEFAULT NULL;', n.nspname, c.relname, a.attname) END,
        CASE WHEN a.attnotnull AND NOT a.attislocal AND NOT c.relispartition AND NOT EXISTS (
            SELECT FROM pg_inherits h JOIN pg_attribute pa ON pa.attrelid = h.inhparent AND pa.attname = a.attname
            WHERE h.inhrelid = a.attrelid AND pa.attnotnull)
          THEN format(E'\nALTER TABLE ONLY %I.%I ALTER COLUMN %I SET NOT NULL;', n.nspname, c.relname, a.attname) END,
        /*18+ CASE WHEN a.attnotnull AND NOT a.attislocal AND NOT c.relispartition THEN (
            SELECT format(E'\nALTER TABLE ONLY %I.%I ADD CONSTRAINT %I NOT NULL %I;', n.nspname, c.relname, nn.conname, a.attname) FROM pg_constraint nn
            WHERE nn.conrelid = a.attrelid AND nn.contype = 'n' AND nn.conkey[1] = a.attnum AND nn.convalidated
              -- One that is valid where no parent's is is the child's own, too.
              AND (nn.conislocal OR NOT EXISTS (SELECT FROM pg_inherits h JOIN pg_attribute pa ON pa.attrelid = h.inhparent AND pa.attname = a.attname
                JOIN pg_constraint pn ON pn.conrelid = pa.attrelid AND pn.contype = 'n' AND pn.conkey[1] = pa.attnum
                WHERE h.inhrelid = nn.conrelid AND pn.convalidated))
              AND nn.conname <> c.relname || '_' || a.attname || '_not_null') END,*/
        CASE WHEN a.attstattarget >= 0 THEN format(E'\nALTER TABLE %I.%I ALTER COLUMN %I SET STATISTICS %s;', n.nspname, c.relname, a.attname, a.attstattarget) END,
        CASE WHEN a.attstorage <> t.typstorage THEN format(E'\nALTER TABLE %I.%I ALTER COLUMN %I SET STORAGE %s;', n.nspname, c.relname, a.attname,
          CASE a.attstorage WHEN 'p' THEN 'PLAIN' WHEN 'e' THEN 'EXTERNAL' WHEN 'm' THEN 'MAIN' ELSE 'EXTENDED' END) END,
        /*14+ CASE a.attcompression WHEN 'p' THEN format(E'\nALTER TABLE %I.%I ALTER COLUMN %I SET COMPRESSION pglz;', n.nspname, c.relname, a.attname) WHEN 'l' THEN format(E'\nALTER TABLE %I.%I ALTER COLUMN %I SET COMPRESSION lz4;', n.nspname, c.relname, a.attname) END,*/
        (SELECT format(E'\nALTER TABLE %I.%I ALTER COLUMN %I SET (%s);', n.nspname, c.relname, a.attname, string_agg(o, ', '))
          FROM unnest(a.attoptions) o WHERE o NOT LIKE 'pg\_attver=%' HAVING count(*) > 0)),
        '' ORDER BY a.attnum)
      FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
      WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped), '') ELSE '' END
    || CASE WHEN c.relispartition OR c.reloftype <> 0 OR c.relrowsecurity OR c.relforcerowsecurity OR c.relreplident <> 'd'
    THEN concat(
    CASE WHEN c.relispartition THEN format(E'\nALTER TABLE %s ATTACH PARTITION %I.%I %s;', p.listed, n.nspname, c.relname, pg_get_expr(c.relpartbound, c.oid)) END,
    -- After it was attached: before, its NOT NULLs would have names of their own. What a partition has with its parent is its own if it is detached.
    CASE WHEN c.relispartition THEN (SELECT string_agg(format(E'\nALTER TABLE ONLY %I.%I ADD CONSTRAINT %I %s;', n.nspname, c.relname, w.conname, pg_get_constraintdef(w.oid)), '' ORDER BY w.conname)
       FROM pg_constraint w JOIN pg_constraint wp ON wp.oid = w.conparentid
       WHERE w.conrelid = c.oid AND wp.conrelid <> c.oid AND w.contype IN ('p', 'u', 'f', 'x')) END,
    CASE WHEN c.relispartition THEN (SELECT string_agg(format(E'\nALTER TABLE ONLY %I.%I ', n.nspname, c.relname) ||
        /*18+ CASE WHEN nn.conname <> ALL (ARRAY(SELECT pn.conname FROM pg_inherits h JOIN pg_attribute pa ON pa.attrelid = h.inhparent AND pa.attname = na.attname
          JOIN pg_constraint pn ON pn.conrelid = h.inhparent AND pn.contype = 'n' AND pn.conkey[1] = pa.attnum WHERE h.inhrelid = c.oid))
        THEN format('ADD CONSTRAINT %I NOT NULL %I;', nn.conname, na.attname) ELSE*/ format('ALTER COLUMN %I SET NOT NULL;', na.attname) /*18+ END*/, '' ORDER BY na.attnum)
      FROM pg_attribute na /*18+ LEFT JOIN pg_constraint nn ON nn.conrelid = na.attrelid AND nn.contype = 'n' AND nn.conkey[1] = na.attnum AND nn.convalidated*/
      WHERE na.attrelid = c.oid AND na.attnum > 0 AND na.attnotnull AND NOT na.attisdropped) END,
    CASE WHEN c.reloftype <> 0 THEN format(E'\nALTER TABLE %I.%I OF %s;', n.nspname, c.relname, format_type(c.reloftype, NULL)) END,
    CASE WHEN c.relrowsecurity THEN format(E'\nALTER TABLE %I.%I ENABLE ROW LEVEL SECURITY;', n.nspname, c.relname) END,
    CASE WHEN c.relforcerowsecurity THEN format(E'\nALTER TABLE %I.%I FORCE ROW LEVEL SECURITY;', n.nspname, c.relname) END,
    CASE WHEN c.relkind IN ('r', 'p') AND c.relreplident = 'f' THEN format(E'\nALTER TABLE %I.%I REPLICA IDENTITY FULL;', n.nspname, c.relname)
      WHEN c.relkind IN ('r', 'p') AND c.relreplident = 'n' THEN format(E'\nALTER TABLE %I.%I REPLICA IDENTITY NOTHING;', n.nspname, c.relname)
      WHEN c.relkind IN ('r', 'p') AND c.relreplident = 'i' THEN (SELECT format(E'\nALTER TABLE %I.%I REPLICA IDENTITY USING INDEX %I;', n.nspname, c.relname, ic.relname)
        FROM pg_index i JOIN pg_class ic ON ic.oid = i.indexrelid WHERE i.indrelid = c.oid AND i.indisreplident) END,
    (SELECT string_agg(format(E'\nALTER TABLE %I.%I %s TRIGGER %I;', n.nspname, c.relname,
        CASE g.tgenabled WHEN 'D' THEN 'DISABLE' WHEN 'R' THEN 'ENABLE REPLICA' WHEN 'A' THEN 'ENABLE ALWAYS' ELSE 'ENABLE' END, g.tgname), '' ORDER BY g.tgname)
     FROM pg_trigger g JOIN pg_trigger pg ON pg.oid = g.tgparentid
     WHERE g.tgrelid = c.oid AND NOT pg.tgisinternal AND g.tgenabled <> pg.tgenabled)) ELSE '' END
    || CASE WHEN clustered.relname IS NULL THEN '' ELSE format(E'\nALTER TABLE %I.%I CLUSTER ON %I;', n.nspname, c.relname, clustered.relname) END
    /*18+ || CASE WHEN c.oid NOT IN (SELECT conrelid FROM pg_constraint WHERE contype = 'n' AND NOT convalidated AND conislocal) THEN '' ELSE (SELECT string_agg(format(E'\nALTER TABLE %I.%I ADD CONSTRAINT %I NOT NULL %I%s NOT VALID;', n.nspname, c.relname, nn.conname, na.attname,
        CASE WHEN nn.connoinherit THEN ' NO INHERIT' ELSE '' END), '' ORDER BY nn.conname)
      FROM pg_constraint nn JOIN pg_attribute na ON na.attrelid = nn.conrelid AND na.attnum = nn.conkey[1]
      WHERE nn.conrelid = c.oid AND nn.contype = 'n' AND NOT nn.convalidated AND nn.conislocal) END*/
    -- What a partition's parts of the keys above it are called.
    || CASE WHEN c.relispartition THEN coalesce((SELECT string_agg(format(E'\nALTER TABLE ONLY %I.%I ADD CONSTRAINT %I %s;', n.nspname, c.relname, pk.conname, pg_get_constraintdef(pk.oid)), '' ORDER BY pk.conname)
      FROM pg_constraint pk WHERE pk.conrelid = c.oid AND pk.contype IN ('p', 'u', 'x') AND pk.conparentid <> 0), '') ELSE '' END
    || CASE WHEN cols.granted IS NOT TRUE THEN '' ELSE (SELECT string_agg(format(E'\nGRANT %s (%I) ON TABLE %I.%I TO %s%s;', ca.privilege_type, a.attname, n.nspname, c.relname,
        CASE WHEN ca.grantee = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(ca.grantee)) END, CASE WHEN ca.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), '' ORDER BY a.attnum, ca.grantee, ca.privilege_type)
      FROM pg_attribute a, aclexplode(a.attacl) ca WHERE a.attrelid = c.oid AND NOT a.attisdropped) END
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN parents p ON p.inhrelid = c.oid LEFT JOIN settings ON settings.conrelid = c.oid
LEFT JOIN (SELECT i.indrelid, ic.relname FROM pg_index i JOIN pg_class ic ON ic.oid = i.indexrelid WHERE i.indisclustered) clustered ON clustered.indrelid = c.oid
LEFT JOIN pg_am am ON am.oid = c.relam LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
LEFT JOIN pg_class tc ON tc.oid = c.reltoastrelid
LEFT JOIN LATERAL (
  -- Table by table, by the index on pg_attribute: half the time of one great join.
  SELECT bool_or(a.attinhcount > 0 OR a.attstattarget >= 0 /*14+ OR a.attcompression <> ''*/
      OR (a.attoptions IS NOT NULL AND NOT (cardinality(a.attoptions) = 1 AND a.attoptions[1] LIKE 'pg\_attver=%'))
      OR (a.attlen = -1 AND CASE a.attstorage WHEN 'x' THEN a.atttypid = ANY ((SELECT types FROM other_storage)::oid[])
        ELSE a.atttypid::bigint << 8 | ascii(a.attstorage::text) <> ALL ((SELECT pairs FROM other_storage)::bigint[]) END)) AS altered,
    bool_or(a.attacl IS NOT NULL) AS granted
  FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
) cols ON true
WHERE c.relkind IN ('r', 'p', 'f') AND c.oid >= 16384 AND c.relpersistence <> 't' AND n.nspname <> 'wevrun'
  /*own pg_class c.oid*/
ORDER BY n.nspname, c.relname;
