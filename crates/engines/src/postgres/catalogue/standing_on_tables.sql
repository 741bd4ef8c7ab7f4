SELECT 'trigger', format('%I on %I.%I', g.tgname, n.nspname, c.relname),
  concat(pg_get_triggerdef(g.oid), ';',
    CASE g.tgenabled WHEN 'D' THEN format(E'\nALTER TABLE %I.%I DISABLE TRIGGER %I;', n.nspname, c.relname, g.tgname)
      WHEN 'R' THEN format(E'\nALTER TABLE %I.%I ENABLE REPLICA TRIGGER %I;', n.nspname, c.relname, g.tgname)
      WHEN 'A' THEN format(E'\nALTER TABLE %I.%I ENABLE ALWAYS TRIGGER %I;', n.nspname, c.relname, g.tgname) END)
FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE NOT g.tgisinternal AND g.tgparentid = 0 AND c.oid >= 16384 AND n.nspname <> 'wevrun' AND c.relpersistence <> 't'
  /*own pg_trigger g.oid*/
ORDER BY n.nspname, c.relname, g.tgname;
SELECT 'rule', format('%I on %I.%I', r.rulename, n.nspname, c.relname),
  concat(pg_get_ruledef(r.oid),
    CASE r.ev_enabled WHEN 'D' THEN format(E'\nALTER TABLE %I.%I DISABLE RULE %I;', n.nspname, c.relname, r.rulename)
      WHEN 'R' THEN format(E'\nALTER TABLE %I.%I ENABLE REPLICA RULE %I;', n.nspname, c.relname, r.rulename)
      WHEN 'A' THEN format(E'\nALTER TABLE %I.%I ENABLE ALWAYS RULE %I;', n.nspname, c.relname, r.rulename) END)
FROM pg_rewrite r JOIN pg_class c ON c.oid = r.ev_class JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE r.rulename <> '_RETURN' AND c.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_rewrite r.oid*/
  /*own pg_class r.ev_class*/
ORDER BY n.nspname, c.relname, r.rulename;
SELECT 'policy', format('%I on %I.%I', p.polname, n.nspname, c.relname),
  concat(format('CREATE POLICY %I ON %I.%I', p.polname, n.nspname, c.relname),
    CASE WHEN NOT p.polpermissive THEN ' AS RESTRICTIVE' END,
    CASE p.polcmd WHEN 'r' THEN ' FOR SELECT' WHEN 'a' THEN ' FOR INSERT' WHEN 'w' THEN ' FOR UPDATE' WHEN 'd' THEN ' FOR DELETE' END,
    CASE WHEN p.polroles <> '{0}' THEN ' TO ' || (SELECT string_agg(CASE WHEN r.role = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(r.role)) END, ', ' ORDER BY r.role) FROM unnest(p.polroles) r(role)) END,
    CASE WHEN p.polqual IS NOT NULL THEN format(' USING (%s)', pg_get_expr(p.polqual, p.polrelid)) END,
    CASE WHEN p.polwithcheck IS NOT NULL THEN format(' WITH CHECK (%s)', pg_get_expr(p.polwithcheck, p.polrelid)) END, ';')
FROM pg_policy p JOIN pg_class c ON c.oid = p.polrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname <> 'wevrun'
ORDER BY n.nspname, c.relname, p.polname;
SELECT 'statistics', format('%I.%I', n.nspname, s.stxname),
  concat(pg_get_statisticsobjdef(s.oid), ';'/*<17 , CASE WHEN s.stxstattarget >= 0 THEN format(E'\nALTER STATISTICS %I.%I SET STATISTICS %s;', n.nspname, s.stxname, s.stxstattarget) END*//*17+ , CASE WHEN s.stxstattarget IS NOT NULL THEN format(E'\nALTER STATISTICS %I.%I SET STATISTICS %s;', n.nspname, s.stxname, s.stxstattarget) END*/)
FROM pg_statistic_ext s JOIN pg_namespace n ON n.oid = s.stxnamespace
WHERE s.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_statistic_ext s.oid*/
ORDER BY n.nspname, s.stxname;
