SELECT a.attrelid, a.attnum, a.attname, a.atttypid, a.atttypmod, a.attislocal OR c.relispartition,
  CASE WHEN a.attcollation IN (0, 100) THEN NULL ELSE (SELECT format('%I.%I', cn.nspname, co.collname)
    FROM pg_type t, pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
    WHERE t.oid = a.atttypid AND t.typcollation <> a.attcollation AND co.oid = a.attcollation) END,
  CASE WHEN a.attfdwoptions IS NULL THEN NULL ELSE (SELECT format('(%s)', string_agg(format('%I %L', o.option_name, o.option_value), ', ' ORDER BY o.option_name))
    FROM pg_options_to_table(a.attfdwoptions) o) END,
  a.attidentity, a.atthasdef AND a.attidentity = '', a.attgenerated, pg_get_expr(d.adbin, CASE WHEN a.attgenerated <> '' THEN d.adrelid ELSE 0 END),
  -- The name of the NOT NULL constraint where it is not the usual one, an empty name where it is.
  CASE WHEN NOT a.attnotnull OR c.relispartition THEN NULL
    /*18+ WHEN nn.conname IS NOT NULL THEN CASE WHEN nn.convalidated THEN CASE WHEN nn.conname <> c.relname || '_' || a.attname || '_not_null' THEN nn.conname ELSE '' END END
    WHEN a.attinhcount > 0 THEN NULL*/
    ELSE '' END,
  false /*18+ OR coalesce(nn.connoinherit, false)*/
FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum AND a.attidentity = ''
/*18+ LEFT JOIN pg_constraint nn ON nn.conrelid = a.attrelid AND nn.contype = 'n' AND nn.conkey[1] = a.attnum AND nn.conislocal*/
WHERE c.relkind IN ('r', 'p', 'f') AND c.oid >= 16384 AND c.relpersistence <> 't' AND a.attnum > 0 AND NOT a.attisdropped
ORDER BY a.attrelid, a.attnum;
