SELECT 'type', format('%I.%I', n.nspname, t.typname),
  CASE
    WHEN NOT t.typisdefined THEN format('CREATE TYPE %I.%I;', n.nspname, t.typname)
    WHEN t.typtype = 'e' THEN format('CREATE TYPE %I.%I AS ENUM (%s);', n.nspname, t.typname,
      (SELECT string_agg(quote_literal(e.enumlabel), ', ' ORDER BY e.enumsortorder) FROM pg_enum e WHERE e.enumtypid = t.oid))
    WHEN t.typtype = 'c' THEN format('CREATE TYPE %I.%I AS (%s);', n.nspname, t.typname,
      (SELECT string_agg(format('%I %s%s', a.attname, format_type(a.atttypid, a.atttypmod),
         CASE WHEN a.attcollation <> at.typcollation AND a.attcollation <> 0 THEN format(' COLLATE %I.%I', cn.nspname, c.collname) ELSE '' END),
         ', ' ORDER BY a.attnum)
       FROM pg_attribute a JOIN pg_type at ON at.oid = a.atttypid
       LEFT JOIN pg_collation c ON c.oid = a.attcollation LEFT JOIN pg_namespace cn ON cn.oid = c.collnamespace
       WHERE a.attrelid = t.typrelid AND a.attnum > 0 AND NOT a.attisdropped))
    WHEN t.typtype = 'd' THEN format('CREATE DOMAIN %I.%I AS %s%s%s%s%s;', n.nspname, t.typname, format_type(t.typbasetype, t.typtypmod),
      CASE WHEN t.typcollation <> bt.typcollation THEN (SELECT format(' COLLATE %I.%I', cn.nspname, c.collname)
        FROM pg_collation c JOIN pg_namespace cn ON cn.oid = c.collnamespace WHERE c.oid = t.typcollation) ELSE '' END,
      CASE WHEN t.typdefaultbin IS NOT NULL THEN ' DEFAULT ' || pg_get_expr(t.typdefaultbin, 0)
        WHEN t.typdefault IS NOT NULL THEN ' DEFAULT ' || quote_literal(t.typdefault) ELSE '' END,
      CASE WHEN t.typnotnull THEN ' NOT NULL' ELSE '' END,
      (SELECT string_agg(format(' CONSTRAINT %I %s', k.conname, pg_get_constraintdef(k.oid)), '' ORDER BY k.conname)
       FROM pg_constraint k WHERE k.contypid = t.oid AND k.contype = 'c'))
    WHEN t.typtype = 'r' THEN (SELECT format('CREATE TYPE %I.%I AS RANGE (subtype = %s%s%s%s%s%s);', n.nspname, t.typname,
      format_type(r.rngsubtype, NULL),
      CASE WHEN oc.opcdefault THEN '' ELSE format(', subtype_opclass = %I.%I', ocn.nspname, oc.opcname) END,
      CASE WHEN r.rngcollation <> st.typcollation THEN (SELECT format(', collation = %I.%I', cn.nspname, c.collname)
        FROM pg_collation c JOIN pg_namespace cn ON cn.oid = c.collnamespace WHERE c.oid = r.rngcollation) ELSE '' END,
      CASE WHEN r.rngcanonical <> 0 THEN format(', canonical = %s', r.rngcanonical::regproc) ELSE '' END,
      CASE WHEN r.rngsubdiff <> 0 THEN format(', subtype_diff = %s', r.rngsubdiff::regproc) ELSE '' END,
      ''/*14+  || (SELECT format(', multirange_type_name = %I.%I', mn.nspname, m.typname) FROM pg_type m JOIN pg_namespace mn ON mn.oid = m.typnamespace WHERE m.oid = r.rngmultitypid)*/)
      FROM pg_range r JOIN pg_type st ON st.oid = r.rngsubtype JOIN pg_opclass oc ON oc.oid = r.rngsubopc
      JOIN pg_namespace ocn ON ocn.oid = oc.opcnamespace WHERE r.rngtypid = t.oid)
    ELSE format('CREATE TYPE %I.%I (input = %s, output = %s%s);', n.nspname, t.typname, t.typinput::regproc, t.typoutput::regproc,
      concat(
        CASE WHEN t.typreceive <> 0 THEN format(', receive = %s', t.typreceive::regproc) END,
        CASE WHEN t.typsend <> 0 THEN format(', send = %s', t.typsend::regproc) END,
        CASE WHEN t.typmodin <> 0 THEN format(', typmod_in = %s', t.typmodin::regproc) END,
        CASE WHEN t.typmodout <> 0 THEN format(', typmod_out = %s', t.typmodout::regproc) END,
        CASE WHEN t.typanalyze <> 0 THEN format(', analyze = %s', t.typanalyze::regproc) END,
        /*14+ CASE WHEN t.typsubscript <> 0 THEN format(', subscript = %s', t.typsubscript::regproc) END,*/
        format(', internallength = %s', CASE WHEN t.typlen > 0 THEN t.typlen::text ELSE 'variable' END),
        CASE WHEN t.typbyval THEN ', passedbyvalue' END,
        CASE t.typalign WHEN 'c' THEN ', alignment = char' WHEN 's' THEN ', alignment = int2' WHEN 'd' THEN ', alignment = double' ELSE ', alignment = int4' END,
        CASE t.typstorage WHEN 'e' THEN ', storage = external' WHEN 'x' THEN ', storage = extended' WHEN 'm' THEN ', storage = main' ELSE ', storage = plain' END,
        CASE WHEN t.typcategory <> 'U' THEN format(', category = %L', t.typcategory) END,
        CASE WHEN t.typispreferred THEN ', preferred = true' END,
        CASE WHEN t.typdefault IS NOT NULL THEN format(', default = %L', t.typdefault) END,
        CASE WHEN t.typelem <> 0 THEN format(', element = %s', format_type(t.typelem, NULL)) END,
        CASE WHEN t.typdelim <> ',' THEN format(', delimiter = %L', t.typdelim) END,
        CASE WHEN t.typcollation <> 0 THEN ', collatable = true' END))
  END
FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
LEFT JOIN pg_type bt ON bt.oid = t.typbasetype
WHERE t.oid >= 16384 AND n.nspname <> 'wevrun' AND n.nspname !~ '^pg_temp' AND t.typtype IN ('e', 'd', 'r', 'c', 'b', 'p')
  AND (t.typtype <> 'c' OR t.typrelid IN (SELECT oid FROM pg_class WHERE relkind = 'c'))
  AND t.typinput <> 'array_in'::regproc
  /*own pg_type t.oid*/
ORDER BY n.nspname, t.typname;
