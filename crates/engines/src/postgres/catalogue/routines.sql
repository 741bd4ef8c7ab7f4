SELECT CASE p.prokind WHEN 'p' THEN 'procedure' ELSE 'function' END, p.oid::regprocedure::text, pg_get_functiondef(p.oid) || ';'
FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE p.oid >= 16384 AND p.prokind <> 'a' AND n.nspname <> 'wevrun' AND n.nspname !~ '^pg_temp'
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype IN ('i', 'e'))
ORDER BY n.nspname, p.proname, p.oid::regprocedure::text;
