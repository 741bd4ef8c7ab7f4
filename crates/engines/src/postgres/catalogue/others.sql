SELECT 'event trigger', quote_ident(e.evtname),
  concat(format('CREATE EVENT TRIGGER %I ON %s', e.evtname, e.evtevent),
    CASE WHEN e.evttags IS NOT NULL THEN format(' WHEN TAG IN (%s)', (SELECT string_agg(quote_literal(t), ', ') FROM unnest(e.evttags) t)) END,
    format(' EXECUTE FUNCTION %s();', e.evtfoid::regproc),
    CASE e.evtenabled WHEN 'D' THEN format(E'\nALTER EVENT TRIGGER %I DISABLE;', e.evtname)
      WHEN 'R' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE REPLICA;', e.evtname)
      WHEN 'A' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE ALWAYS;', e.evtname) END)
FROM pg_event_trigger e
WHERE true /*own pg_event_trigger e.oid*/
ORDER BY e.evtname;
SELECT 'publication', quote_ident(p.pubname),
  concat(format('CREATE PUBLICATION %I', p.pubname),
    CASE WHEN p.puballtables THEN ' FOR ALL TABLES' ELSE
      (SELECT ' FOR ' || string_agg(m.member, ', ' ORDER BY m.kind, m.member) FROM (
        SELECT 1 AS kind, format('TABLE %I.%I', tn.nspname, tc.relname)/*15+  || coalesce(' (' || (SELECT string_agg(quote_ident(a.attname), ', ' ORDER BY a.attnum) FROM pg_attribute a WHERE a.attrelid = pr.prrelid AND a.attnum = ANY (pr.prattrs)) || ')', '') || coalesce(' WHERE (' || pg_get_expr(pr.prqual, pr.prrelid) || ')', '')*/ AS member
        FROM pg_publication_rel pr JOIN pg_class tc ON tc.oid = pr.prrelid JOIN pg_namespace tn ON tn.oid = tc.relnamespace WHERE pr.prpubid = p.oid
        /*15+ UNION ALL SELECT 2, format('TABLES IN SCHEMA %I', sn.nspname) FROM pg_publication_namespace pn JOIN pg_namespace sn ON sn.oid = pn.pnnspid WHERE pn.pnpubid = p.oid*/) m) END,
    format(' WITH (publish = %L, publish_via_partition_root = %s);', concat_ws(', ', CASE WHEN p.pubinsert THEN 'insert' END,
      CASE WHEN p.pubupdate THEN 'update' END, CASE WHEN p.pubdelete THEN 'delete' END, CASE WHEN p.pubtruncate THEN 'truncate' END), CASE WHEN p.pubviaroot THEN 'true' ELSE 'false' END))
FROM pg_publication p
WHERE true /*own pg_publication p.oid*/
ORDER BY p.pubname;
SELECT 'subscription', quote_ident(s.subname),
  -- Only superusers may see the connection, which is no part of the structure.
  concat(format('CREATE SUBSCRIPTION %I CONNECTION %L PUBLICATION %s WITH (slot_name = %s', s.subname, '',
      (SELECT string_agg(quote_ident(p), ', ') FROM unnest(s.subpublications) p), coalesce(quote_literal(s.subslotname), 'NONE'))
    /*14+ , format(', synchronous_commit = %L', s.subsynccommit)*/
    /*14+ , CASE WHEN s.subbinary THEN ', binary = true' END*/
    /*15+ , CASE WHEN s.subtwophasestate <> 'd' THEN ', two_phase = true' END*/
    /*15+ , CASE WHEN s.subdisableonerr THEN ', disable_on_error = true' END*/
    /*16+ , format(', origin = %s', s.suborigin), CASE WHEN NOT s.subpasswordrequired THEN ', password_required = false' END*/
    /*16+ , CASE WHEN s.subrunasowner THEN ', run_as_owner = true' END*/
    /*17+ , CASE WHEN s.subfailover THEN ', failover = true' END*/, ');')
FROM pg_subscription s JOIN pg_database d ON d.oid = s.subdbid
WHERE d.datname = current_database()
ORDER BY s.subname;
SELECT 'collation', format('%I.%I', n.nspname, c.collname),
  format('CREATE COLLATION %I.%I (%s);', n.nspname, c.collname, concat_ws(', ',
    format('provider = %s', CASE c.collprovider WHEN 'i' THEN 'icu' WHEN 'b' THEN 'builtin' ELSE 'libc' END),
    CASE WHEN NOT c.collisdeterministic THEN 'deterministic = false' END,
    /*<15 CASE WHEN c.collprovider = 'i' THEN format('locale = %L', c.collcollate) WHEN c.collcollate = c.collctype THEN format('locale = %L', c.collcollate) ELSE format('lc_collate = %L, lc_ctype = %L', c.collcollate, c.collctype) END*/
    /*15+ CASE WHEN c.collprovider <> 'c' THEN format('locale = %L', to_jsonb(c) ->> (CASE WHEN to_jsonb(c) ? 'colllocale' THEN 'colllocale' ELSE 'colliculocale' END)) WHEN c.collcollate = c.collctype THEN format('locale = %L', c.collcollate) ELSE format('lc_collate = %L, lc_ctype = %L', c.collcollate, c.collctype) END*/
    /*16+ , CASE WHEN c.collicurules IS NOT NULL THEN format('rules = %L', c.collicurules) END*/))
FROM pg_collation c JOIN pg_namespace n ON n.oid = c.collnamespace
WHERE c.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_collation c.oid*/
ORDER BY n.nspname, c.collname;
SELECT 'conversion', format('%I.%I', n.nspname, c.conname),
  format('CREATE %sCONVERSION %I.%I FOR %L TO %L FROM %s;', CASE WHEN c.condefault THEN 'DEFAULT ' ELSE '' END, n.nspname, c.conname,
    pg_encoding_to_char(c.conforencoding), pg_encoding_to_char(c.contoencoding), c.conproc::regproc)
FROM pg_conversion c JOIN pg_namespace n ON n.oid = c.connamespace
WHERE c.oid >= 16384 AND n.nspname <> 'wevrun'
  /*own pg_conversion c.oid*/
ORDER BY n.nspname, c.conname;
SELECT 'language', quote_ident(l.lanname),
  concat('CREATE ', CASE WHEN l.lanpltrusted THEN 'TRUSTED ' END, format('LANGUAGE %I HANDLER %s', l.lanname, l.lanplcallfoid::regproc),
    CASE WHEN l.laninline <> 0 THEN format(' INLINE %s', l.laninline::regproc) END,
    CASE WHEN l.lanvalidator <> 0 THEN format(' VALIDATOR %s', l.lanvalidator::regproc) END, ';')
FROM pg_language l
WHERE l.oid >= 16384 AND l.lanispl /*own pg_language l.oid*/
ORDER BY l.lanname;
SELECT 'access method', quote_ident(a.amname),
  format('CREATE ACCESS METHOD %I TYPE %s HANDLER %s;', a.amname, CASE a.amtype WHEN 't' THEN 'TABLE' ELSE 'INDEX' END, a.amhandler::regproc)
FROM pg_am a
WHERE a.oid >= 16384 /*own pg_am a.oid*/
ORDER BY a.amname;
