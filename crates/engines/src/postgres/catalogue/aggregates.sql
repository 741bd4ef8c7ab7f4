SELECT 'aggregate', p.oid::regprocedure::text,
  format('CREATE AGGREGATE %I.%I(%s) (%s);', n.nspname, p.proname,
    CASE WHEN p.pronargs = 0 THEN '*' ELSE pg_get_function_arguments(p.oid) END,
    concat_ws(', ',
      format('sfunc = %s', a.aggtransfn::regproc),
      format('stype = %s', format_type(a.aggtranstype, NULL)),
      CASE WHEN a.aggtransspace > 0 THEN format('sspace = %s', a.aggtransspace) END,
      CASE WHEN a.aggfinalfn <> 0 THEN format('finalfunc = %s', a.aggfinalfn::regproc) END,
      CASE WHEN a.aggfinalextra THEN 'finalfunc_extra' END,
      CASE WHEN a.aggfinalmodify <> CASE WHEN a.aggkind = 'n' THEN 'r' ELSE 'w' END
        THEN format('finalfunc_modify = %s', CASE a.aggfinalmodify WHEN 'r' THEN 'read_only' WHEN 's' THEN 'shareable' ELSE 'read_write' END) END,
      CASE WHEN a.aggcombinefn <> 0 THEN format('combinefunc = %s', a.aggcombinefn::regproc) END,
      CASE WHEN a.aggserialfn <> 0 THEN format('serialfunc = %s', a.aggserialfn::regproc) END,
      CASE WHEN a.aggdeserialfn <> 0 THEN format('deserialfunc = %s', a.aggdeserialfn::regproc) END,
      CASE WHEN a.agginitval IS NOT NULL THEN format('initcond = %L', a.agginitval) END,
      CASE WHEN a.aggmtransfn <> 0 THEN format('msfunc = %s', a.aggmtransfn::regproc) END,
      CASE WHEN a.aggminvtransfn <> 0 THEN format('minvfunc = %s', a.aggminvtransfn::regproc) END,
      CASE WHEN a.aggmtranstype <> 0 THEN format('mstype = %s', format_type(a.aggmtranstype, NULL)) END,
      CASE WHEN a.aggmtransspace > 0 THEN format('msspace = %s', a.aggmtransspace) END,
      CASE WHEN a.aggmfinalfn <> 0 THEN format('mfinalfunc = %s', a.aggmfinalfn::regproc) END,
      CASE WHEN a.aggmfinalextra THEN 'mfinalfunc_extra' END,
      CASE WHEN a.aggmtransfn <> 0 AND a.aggmfinalmodify <> CASE WHEN a.aggkind = 'n' THEN 'r' ELSE 'w' END
        THEN format('mfinalfunc_modify = %s', CASE a.aggmfinalmodify WHEN 'r' THEN 'read_only' WHEN 's' THEN 'shareable' ELSE 'read_write' END) END,
      CASE WHEN a.aggminitval IS NOT NULL THEN format('minitcond = %L', a.aggminitval) END,
      CASE WHEN a.aggsortop <> 0 THEN format('sortop = %s', a.aggsortop::regoper) END,
      CASE WHEN a.aggkind = 'h' THEN 'hypothetical' END,
      CASE p.proparallel WHEN 's' THEN 'parallel = safe' WHEN 'r' THEN 'parallel = restricted' END))
FROM pg_proc p JOIN pg_aggregate a ON a.aggfnoid = p.oid JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE p.oid >= 16384 AND n.nspname <> 'wevrun'
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype IN ('i', 'e'))
ORDER BY n.nspname, p.proname, p.oid::regprocedure::text;
