SELECT 'text search parser', format('%I.%I', n.nspname, p.prsname),
  format('CREATE TEXT SEARCH PARSER %I.%I (start = %s, gettoken = %s, end = %s, lextypes = %s%s);', n.nspname, p.prsname,
    p.prsstart::regproc, p.prstoken::regproc, p.prsend::regproc, p.prslextype::regproc,
    CASE WHEN p.prsheadline <> 0 THEN format(', headline = %s', p.prsheadline::regproc) ELSE '' END)
FROM pg_ts_parser p JOIN pg_namespace n ON n.oid = p.prsnamespace
WHERE p.oid >= 16384 /*own pg_ts_parser p.oid*/
ORDER BY 2;
SELECT 'text search template', format('%I.%I', n.nspname, t.tmplname),
  format('CREATE TEXT SEARCH TEMPLATE %I.%I (%slexize = %s);', n.nspname, t.tmplname,
    CASE WHEN t.tmplinit <> 0 THEN format('init = %s, ', t.tmplinit::regproc) ELSE '' END, t.tmpllexize::regproc)
FROM pg_ts_template t JOIN pg_namespace n ON n.oid = t.tmplnamespace
WHERE t.oid >= 16384 /*own pg_ts_template t.oid*/
ORDER BY 2;
SELECT 'text search dictionary', format('%I.%I', n.nspname, d.dictname),
  format('CREATE TEXT SEARCH DICTIONARY %I.%I (template = %I.%I%s);', n.nspname, d.dictname, tn.nspname, t.tmplname,
    CASE WHEN d.dictinitoption IS NOT NULL THEN ', ' || d.dictinitoption ELSE '' END)
FROM pg_ts_dict d JOIN pg_namespace n ON n.oid = d.dictnamespace
JOIN pg_ts_template t ON t.oid = d.dicttemplate JOIN pg_namespace tn ON tn.oid = t.tmplnamespace
WHERE d.oid >= 16384 /*own pg_ts_dict d.oid*/
ORDER BY 2;
SELECT 'text search configuration', format('%I.%I', n.nspname, c.cfgname),
  concat(format('CREATE TEXT SEARCH CONFIGURATION %I.%I (parser = %I.%I);', n.nspname, c.cfgname, pn.nspname, p.prsname),
    (SELECT string_agg(format(E'\nALTER TEXT SEARCH CONFIGURATION %I.%I ADD MAPPING FOR %I WITH %s;', n.nspname, c.cfgname, m.alias, m.dictionaries), '' ORDER BY m.alias)
     FROM (SELECT tt.alias, string_agg(format('%I.%I', dn.nspname, di.dictname), ', ' ORDER BY cm.mapseqno) AS dictionaries
       FROM pg_ts_config_map cm JOIN ts_token_type(c.cfgparser) tt ON tt.tokid = cm.maptokentype
       JOIN pg_ts_dict di ON di.oid = cm.mapdict JOIN pg_namespace dn ON dn.oid = di.dictnamespace
       WHERE cm.mapcfg = c.oid GROUP BY tt.alias) m))
FROM pg_ts_config c JOIN pg_namespace n ON n.oid = c.cfgnamespace
JOIN pg_ts_parser p ON p.oid = c.cfgparser JOIN pg_namespace pn ON pn.oid = p.prsnamespace
WHERE c.oid >= 16384 /*own pg_ts_config c.oid*/
ORDER BY 2;
