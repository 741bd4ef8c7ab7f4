WITH usual AS MATERIALIZED (
  -- Operator classes and the types for which nothing needs to be said of them: 1043 is varchar, which has none of its own.
  SELECT array_agg(o.oid::bigint << 32 | t.oid::bigint) AS pairs FROM pg_opclass o
  JOIN LATERAL (SELECT o.opcintype AS oid UNION ALL SELECT 1043 WHERE o.opcintype = 25) t ON true
  WHERE o.opcdefault AND o.opcmethod = 403
), wanted AS MATERIALIZED (
  SELECT i.*, c.relname, c.relkind, c.relispartition, c.reloptions, n.nspname, t.relname AS table_name, ts.spcname,
    i.indexprs IS NULL AND t.relkind <> 'p' AND c.relam = 403 AS usual
  FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_class t ON t.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
  LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
  WHERE c.oid >= 16384 AND t.relkind IN ('r', 'p', 'm') AND t.relpersistence <> 't' AND n.nspname <> 'wevrun'
    AND i.indexrelid NOT IN (SELECT k.conindid FROM pg_constraint k WHERE k.contype IN ('p', 'u', 'x'))
    /*own pg_class c.oid*/ /*own pg_class t.oid*/
)
SELECT 'index', quote_ident(i.nspname) || '.' || quote_ident(i.relname),
  CASE WHEN parts.keys IS NULL THEN pg_get_indexdef(i.indexrelid)
    ELSE 'CREATE ' || CASE WHEN i.indisunique THEN 'UNIQUE ' ELSE '' END || 'INDEX ' || quote_ident(i.relname) || ' ON ' || quote_ident(i.nspname)
      || '.' || quote_ident(i.table_name) || ' (' || parts.keys || ')' || coalesce(' INCLUDE (' || parts.included || ')', '')
      /*15+ || CASE WHEN i.indnullsnotdistinct THEN ' NULLS NOT DISTINCT' ELSE '' END*/
      || CASE WHEN i.reloptions IS NULL THEN '' ELSE
        (SELECT format(' WITH (%s)', string_agg(format('%I = %L', o.option_name, o.option_value), ', ')) FROM pg_options_to_table(i.reloptions) o) END
      || coalesce(' WHERE ' || pg_get_expr(i.indpred, i.indrelid), '') END || ';'
  || CASE WHEN i.indisvalid AND i.spcname IS NULL AND i.indexprs IS NULL AND NOT i.relispartition THEN '' ELSE concat(
    CASE WHEN NOT i.indisvalid AND i.relkind = 'i' THEN format(E'\nALTER INDEX %I.%I INVALID;', i.nspname, i.relname) END,
    -- Of these, what belongs to the parent's is sorted out where the whole schema is known.
    CASE WHEN i.relispartition THEN (SELECT format(E'\nALTER INDEX %I.%I ATTACH PARTITION %I.%I;', an.nspname, ac.relname, i.nspname, i.relname)
      FROM pg_inherits h JOIN pg_class ac ON ac.oid = h.inhparent JOIN pg_namespace an ON an.oid = ac.relnamespace WHERE h.inhrelid = i.indexrelid) END,
    CASE WHEN i.spcname IS NOT NULL THEN format(E'\nALTER INDEX %I.%I SET TABLESPACE %I;', i.nspname, i.relname, i.spcname) END,
    CASE WHEN i.indexprs IS NOT NULL THEN
      (SELECT string_agg(format(E'\nALTER INDEX %I.%I ALTER COLUMN %s SET STATISTICS %s;', i.nspname, i.relname, a.attnum, a.attstattarget), '' ORDER BY a.attnum)
       FROM pg_attribute a WHERE a.attrelid = i.indexrelid AND a.attstattarget >= 0) END) END
FROM wanted i
LEFT JOIN LATERAL (
  -- The usual form of an index is put together here: pg_get_indexdef() opens every index, which takes ten times as long.
  SELECT string_agg(quote_ident(a.attname)
      || CASE WHEN i.indcollation[k.n - 1] IN (0, a.attcollation) OR k.n > i.indnkeyatts THEN '' ELSE (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
        FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace WHERE co.oid = i.indcollation[k.n - 1]) END
      || CASE WHEN i.indclass[k.n - 1]::bigint << 32 | a.atttypid::bigint = ANY ((SELECT pairs FROM usual)::bigint[]) THEN '' ELSE coalesce(
        (SELECT format(' %I.%I', ocn.nspname, oc.opcname) FROM pg_opclass oc JOIN pg_namespace ocn ON ocn.oid = oc.opcnamespace
         WHERE oc.oid = i.indclass[k.n - 1] AND k.n <= i.indnkeyatts AND (NOT oc.opcdefault OR (oc.opcintype <> a.atttypid AND EXISTS (
           SELECT FROM pg_opclass own WHERE own.opcmethod = oc.opcmethod AND own.opcdefault AND own.opcintype = a.atttypid)))), '') END
      || CASE i.indoption[k.n - 1] & 3 WHEN 1 THEN ' DESC NULLS LAST' WHEN 2 THEN ' NULLS FIRST' WHEN 3 THEN ' DESC' ELSE '' END,
      ', ' ORDER BY k.n) FILTER (WHERE k.n <= i.indnkeyatts) AS keys,
    string_agg(quote_ident(a.attname), ', ' ORDER BY k.n) FILTER (WHERE k.n > i.indnkeyatts) AS included
  FROM unnest(i.indkey::int2[]) WITH ORDINALITY k(attnum, n)
  CROSS JOIN LATERAL (SELECT attname, attcollation, atttypid FROM pg_attribute WHERE attrelid = i.indrelid AND attnum = k.attnum OFFSET 0) a
) parts ON i.usual
ORDER BY i.nspname, i.table_name, i.relname;
