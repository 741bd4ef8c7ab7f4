SELECT CASE c.relkind WHEN 'm' THEN 'materialized view' ELSE 'view' END, format('%I.%I', n.nspname, c.relname),
  concat('CREATE ', CASE WHEN c.relkind = 'm' THEN 'MATERIALIZED ' END, format('VIEW %I.%I', n.nspname, c.relname),
    CASE WHEN am.amname <> 'heap' THEN format(' USING %I', am.amname) END,
    (SELECT format(' WITH (%s)', string_agg(o.option_name || ' = ' || quote_literal(o.option_value), ', ')) FROM pg_options_to_table(c.reloptions) o HAVING count(*) > 0),
    CASE WHEN ts.spcname IS NOT NULL THEN format(' TABLESPACE %I', ts.spcname) END,
    E' AS\n', rtrim(pg_get_viewdef(c.oid), ';'), CASE WHEN NOT c.relispopulated THEN E'\nWITH NO DATA' END, ';',
    (SELECT string_agg(format(E'\nALTER VIEW %I.%I ALTER COLUMN %I SET DEFAULT %s;', n.nspname, c.relname, a.attname, pg_get_expr(d.adbin, d.adrelid)), '' ORDER BY a.attnum)
     FROM pg_attrdef d JOIN pg_attribute a ON a.attrelid = d.adrelid AND a.attnum = d.adnum WHERE d.adrelid = c.oid),
    (SELECT string_agg(concat(
        CASE WHEN a.attstattarget >= 0 THEN format(E'\nALTER MATERIALIZED VIEW %I.%I ALTER COLUMN %I SET STATISTICS %s;', n.nspname, c.relname, a.attname, a.attstattarget) END,
        CASE WHEN a.attstorage <> t.typstorage THEN format(E'\nALTER MATERIALIZED VIEW %I.%I ALTER COLUMN %I SET STORAGE %s;', n.nspname, c.relname, a.attname,
          CASE a.attstorage WHEN 'p' THEN 'PLAIN' WHEN 'e' THEN 'EXTERNAL' WHEN 'm' THEN 'MAIN' ELSE 'EXTENDED' END) END
        /*14+ , CASE a.attcompression WHEN 'p' THEN format(E'\nALTER MATERIALIZED VIEW %I.%I ALTER COLUMN %I SET COMPRESSION pglz;', n.nspname, c.relname, a.attname) WHEN 'l' THEN format(E'\nALTER MATERIALIZED VIEW %I.%I ALTER COLUMN %I SET COMPRESSION lz4;', n.nspname, c.relname, a.attname) END*/),
        '' ORDER BY a.attnum)
     FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid WHERE a.attrelid = c.oid AND c.relkind = 'm' AND a.attnum > 0 AND NOT a.attisdropped),
    (SELECT format(E'\nALTER MATERIALIZED VIEW %I.%I CLUSTER ON %I;', n.nspname, c.relname, ic.relname)
     FROM pg_index i JOIN pg_class ic ON ic.oid = i.indexrelid WHERE i.indrelid = c.oid AND i.indisclustered))
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN pg_am am ON am.oid = c.relam LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
WHERE c.relkind IN ('v', 'm') AND c.oid >= 16384 AND c.relpersistence <> 't' AND n.nspname <> 'wevrun'
  /*own pg_class c.oid*/
ORDER BY n.nspname, c.relname;
