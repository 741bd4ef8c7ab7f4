SELECT 'operator', o.oid::regoperator::text,
  format('CREATE OPERATOR %I.%s (%s);', n.nspname, o.oprname, concat_ws(', ',
    format('function = %s', o.oprcode::regproc),
    CASE WHEN o.oprleft <> 0 THEN format('leftarg = %s', format_type(o.oprleft, NULL)) END,
    CASE WHEN o.oprright <> 0 THEN format('rightarg = %s', format_type(o.oprright, NULL)) END,
    CASE WHEN o.oprcom <> 0 THEN (SELECT format('commutator = OPERATOR(%I.%s)', cn.nspname, c.oprname) FROM pg_operator c JOIN pg_namespace cn ON cn.oid = c.oprnamespace WHERE c.oid = o.oprcom) END,
    CASE WHEN o.oprnegate <> 0 THEN (SELECT format('negator = OPERATOR(%I.%s)', cn.nspname, c.oprname) FROM pg_operator c JOIN pg_namespace cn ON cn.oid = c.oprnamespace WHERE c.oid = o.oprnegate) END,
    CASE WHEN o.oprrest <> 0 THEN format('restrict = %s', o.oprrest::regproc) END,
    CASE WHEN o.oprjoin <> 0 THEN format('join = %s', o.oprjoin::regproc) END,
    CASE WHEN o.oprcanhash THEN 'hashes' END,
    CASE WHEN o.oprcanmerge THEN 'merges' END))
FROM pg_operator o JOIN pg_namespace n ON n.oid = o.oprnamespace
WHERE o.oid >= 16384 AND o.oprcode <> 0 AND n.nspname <> 'wevrun'
  /*own pg_operator o.oid*/
ORDER BY n.nspname, o.oprname, o.oid::regoperator::text;
SELECT 'operator family', format('%I.%I', n.nspname, f.opfname),
  concat(format('CREATE OPERATOR FAMILY %I.%I USING %I;', n.nspname, f.opfname, am.amname),
   (SELECT format(E'\nALTER OPERATOR FAMILY %I.%I USING %I ADD %s;', n.nspname, f.opfname, am.amname, string_agg(x.item, ', ' ORDER BY x.item))
    FROM (
      SELECT format('OPERATOR %s %s%s', o.amopstrategy, o.amopopr::regoperator,
        CASE WHEN o.amopsortfamily <> 0 THEN (SELECT format(' FOR ORDER BY %I.%I', sn.nspname, sf.opfname) FROM pg_opfamily sf JOIN pg_namespace sn ON sn.oid = sf.opfnamespace WHERE sf.oid = o.amopsortfamily) ELSE '' END) AS item
      FROM pg_amop o WHERE o.amopfamily = f.oid
        AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_amop'::regclass AND d.objid = o.oid AND d.refclassid = 'pg_opclass'::regclass)
      UNION ALL
      SELECT format('FUNCTION %s (%s, %s) %s', p.amprocnum, format_type(p.amproclefttype, NULL), format_type(p.amprocrighttype, NULL), p.amproc::regprocedure)
      FROM pg_amproc p WHERE p.amprocfamily = f.oid
        AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_amproc'::regclass AND d.objid = p.oid AND d.refclassid = 'pg_opclass'::regclass)
    ) x HAVING count(*) > 0))
FROM pg_opfamily f JOIN pg_namespace n ON n.oid = f.opfnamespace JOIN pg_am am ON am.oid = f.opfmethod
WHERE f.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_opfamily f.oid*/
ORDER BY n.nspname, f.opfname;
SELECT 'operator class', format('%I.%I', n.nspname, c.opcname),
  format('CREATE OPERATOR CLASS %I.%I%s FOR TYPE %s USING %I FAMILY %I.%I AS %s;', n.nspname, c.opcname,
    CASE WHEN c.opcdefault THEN ' DEFAULT' ELSE '' END, format_type(c.opcintype, NULL), am.amname, fn.nspname, f.opfname,
    concat_ws(', ',
      (SELECT string_agg(format('OPERATOR %s %s%s', o.amopstrategy, o.amopopr::regoperator,
         CASE WHEN o.amopsortfamily <> 0 THEN (SELECT format(' FOR ORDER BY %I.%I', sn.nspname, sf.opfname) FROM pg_opfamily sf JOIN pg_namespace sn ON sn.oid = sf.opfnamespace WHERE sf.oid = o.amopsortfamily) ELSE '' END),
         ', ' ORDER BY o.amopstrategy, o.amopopr::regoperator::text)
       FROM pg_amop o JOIN pg_depend d ON d.classid = 'pg_amop'::regclass AND d.objid = o.oid AND d.refclassid = 'pg_opclass'::regclass AND d.refobjid = c.oid),
      (SELECT string_agg(format('FUNCTION %s (%s, %s) %s', p.amprocnum, format_type(p.amproclefttype, NULL), format_type(p.amprocrighttype, NULL), p.amproc::regprocedure), ', ' ORDER BY p.amprocnum, p.amproc::regprocedure::text)
       FROM pg_amproc p JOIN pg_depend d ON d.classid = 'pg_amproc'::regclass AND d.objid = p.oid AND d.refclassid = 'pg_opclass'::regclass AND d.refobjid = c.oid),
      CASE WHEN c.opckeytype <> 0 THEN format('STORAGE %s', format_type(c.opckeytype, NULL))
        WHEN NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid IN ('pg_amop'::regclass, 'pg_amproc'::regclass) AND d.refclassid = 'pg_opclass'::regclass AND d.refobjid = c.oid)
          THEN format('STORAGE %s', format_type(c.opcintype, NULL)) END))
FROM pg_opclass c JOIN pg_namespace n ON n.oid = c.opcnamespace JOIN pg_am am ON am.oid = c.opcmethod
JOIN pg_opfamily f ON f.oid = c.opcfamily JOIN pg_namespace fn ON fn.oid = f.opfnamespace
WHERE c.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_opclass c.oid*/
ORDER BY n.nspname, c.opcname;
SELECT 'cast', format('(%s AS %s)', format_type(c.castsource, NULL), format_type(c.casttarget, NULL)),
  format('CREATE CAST (%s AS %s) %s%s;', format_type(c.castsource, NULL), format_type(c.casttarget, NULL),
    CASE c.castmethod WHEN 'f' THEN format('WITH FUNCTION %s', c.castfunc::regprocedure) WHEN 'i' THEN 'WITH INOUT' ELSE 'WITHOUT FUNCTION' END,
    CASE c.castcontext WHEN 'a' THEN ' AS ASSIGNMENT' WHEN 'i' THEN ' AS IMPLICIT' ELSE '' END)
FROM pg_cast c
WHERE c.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_cast'::regclass AND d.objid = c.oid AND d.deptype IN ('i', 'e'))
ORDER BY 2;
SELECT 'transform', format('FOR %s LANGUAGE %I', format_type(t.trftype, NULL), l.lanname),
  format('CREATE TRANSFORM FOR %s LANGUAGE %I (%s);', format_type(t.trftype, NULL), l.lanname, concat_ws(', ',
    CASE WHEN t.trffromsql <> 0 THEN format('FROM SQL WITH FUNCTION %s', t.trffromsql::regprocedure) END,
    CASE WHEN t.trftosql <> 0 THEN format('TO SQL WITH FUNCTION %s', t.trftosql::regprocedure) END))
FROM pg_transform t JOIN pg_language l ON l.oid = t.trflang
WHERE t.oid >= 16384
  /*own pg_transform t.oid*/
ORDER BY 2;
