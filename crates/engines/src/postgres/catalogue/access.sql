-- Owners of tables, and grants on their columns, are said with the tables.
SELECT 'owner and grants of', x.name, 'ALTER ' || x.subject || ' OWNER TO ' || quote_ident(pg_get_userbyid(x.owner)) || ';'
  || CASE WHEN x.acl IS NULL THEN '' ELSE concat(
    (SELECT string_agg(format(E'\nGRANT %s ON %s TO %s%s;', a.privilege_type, x.granted, CASE WHEN a.grantee = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(a.grantee)) END,
       CASE WHEN a.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), '' ORDER BY a.grantee, a.privilege_type)
     FROM aclexplode(x.acl) a WHERE a.grantee <> x.owner),
    CASE WHEN x.public AND NOT EXISTS (SELECT FROM aclexplode(x.acl) a WHERE a.grantee = 0) THEN format(E'\nREVOKE ALL ON %s FROM public;', x.granted) END) END
  || coalesce(x.columns, '')
FROM (
  SELECT quote_ident(n.nspname) || '.' || quote_ident(c.relname) AS name, c.relowner AS owner, c.relacl AS acl, false AS public,
    CASE c.relkind WHEN 'v' THEN 'VIEW ' WHEN 'm' THEN 'MATERIALIZED VIEW ' WHEN 'S' THEN 'SEQUENCE ' WHEN 'f' THEN 'FOREIGN TABLE ' ELSE 'TABLE ' END
      || quote_ident(n.nspname) || '.' || quote_ident(c.relname) AS subject,
    CASE c.relkind WHEN 'S' THEN 'SEQUENCE ' ELSE 'TABLE ' END || quote_ident(n.nspname) || '.' || quote_ident(c.relname) AS granted,
    CASE WHEN c.relkind IN ('v', 'm') AND (SELECT bool_or(at.attacl IS NOT NULL) FROM pg_attribute at WHERE at.attrelid = c.oid) THEN (SELECT string_agg(format(E'\nGRANT %s (%I) ON TABLE %I.%I TO %s%s;', ca.privilege_type, at.attname, n.nspname, c.relname,
        CASE WHEN ca.grantee = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(ca.grantee)) END, CASE WHEN ca.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), '' ORDER BY at.attnum, ca.grantee, ca.privilege_type)
     FROM pg_attribute at, aclexplode(at.attacl) ca WHERE at.attrelid = c.oid) END AS columns
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE (c.relkind IN ('v', 'm', 'S') OR c.relkind IN ('r', 'p', 'f') AND c.relacl IS NOT NULL) AND c.oid >= 16384 AND c.relpersistence <> 't' AND n.nspname <> 'wevrun'
    -- A sequence of an identity column is that of the table's owner.
    AND (c.relkind <> 'S' OR NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype = 'i'))
    /*own pg_class c.oid*/
  UNION ALL
  SELECT p.oid::regprocedure::text, p.proowner, p.proacl, true, format('%s %s', CASE p.prokind WHEN 'a' THEN 'AGGREGATE' WHEN 'p' THEN 'PROCEDURE' ELSE 'FUNCTION' END, i.identity),
    format('%s %s', CASE p.prokind WHEN 'p' THEN 'PROCEDURE' ELSE 'FUNCTION' END, i.identity), NULL
  FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace, pg_identify_object('pg_proc'::regclass, p.oid, 0) i
  WHERE p.oid >= 16384 AND n.nspname <> 'wevrun' AND n.nspname !~ '^pg_temp'
    AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype IN ('i', 'e'))
  UNION ALL
  SELECT quote_ident(n.nspname), n.nspowner, n.nspacl, false, format('SCHEMA %I', n.nspname), format('SCHEMA %I', n.nspname), NULL
  FROM pg_namespace n
  WHERE n.oid >= 16384 AND n.nspname <> 'wevrun' AND n.nspname !~ '^pg_'
    /*own pg_namespace n.oid*/
  UNION ALL
  SELECT format('%I.%I', n.nspname, t.typname), t.typowner, t.typacl, true, format('TYPE %I.%I', n.nspname, t.typname), format('TYPE %I.%I', n.nspname, t.typname), NULL
  FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
  WHERE t.oid >= 16384 AND n.nspname <> 'wevrun' AND t.typtype IN ('e', 'd', 'c', 'r')
    AND (t.typtype <> 'c' OR t.typrelid IN (SELECT oid FROM pg_class WHERE relkind = 'c'))
    /*own pg_type t.oid*/
) x
ORDER BY x.name, x.subject;
SELECT 'grants on', 'public', format(E'ALTER SCHEMA public OWNER TO %I;\nREVOKE ALL ON SCHEMA public FROM public;', pg_get_userbyid(n.nspowner))
  || coalesce((SELECT string_agg(format(E'\nGRANT %s ON SCHEMA public TO %s%s;', a.privilege_type, CASE WHEN a.grantee = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(a.grantee)) END,
       CASE WHEN a.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), '' ORDER BY a.grantee, a.privilege_type)
     FROM aclexplode(coalesce(n.nspacl, acldefault('n', n.nspowner))) a WHERE a.grantee <> n.nspowner), '')
FROM pg_namespace n WHERE n.nspname = 'public';
SELECT 'default privileges of', quote_ident(pg_get_userbyid(x.defaclrole)), string_agg(format('ALTER DEFAULT PRIVILEGES FOR ROLE %I %s%s;', pg_get_userbyid(x.defaclrole), x.place, x.change), E'\n' ORDER BY x.place, x.change DESC)
FROM (
  SELECT d.defaclrole, coalesce('IN SCHEMA ' || quote_ident(n.nspname) || ' ', '') AS place, c.change
  FROM pg_default_acl d LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace,
    LATERAL (SELECT CASE d.defaclobjtype WHEN 'r' THEN 'TABLES' WHEN 'S' THEN 'SEQUENCES' WHEN 'f' THEN 'FUNCTIONS' WHEN 'T' THEN 'TYPES' WHEN 'n' THEN 'SCHEMAS' ELSE 'LARGE OBJECTS' END AS what) w,
    LATERAL (
      SELECT format('GRANT %s ON %s TO %s%s', a.privilege_type, w.what, CASE WHEN a.grantee = 0 THEN 'public' ELSE quote_ident(pg_get_userbyid(a.grantee)) END,
        CASE WHEN a.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END) AS change
      FROM aclexplode(d.defaclacl) a WHERE a.grantee <> d.defaclrole
      UNION ALL
      -- Those of the whole database stand instead of what everybody may do by itself; those of a schema are added.
      SELECT format('REVOKE ALL ON %s FROM public', w.what)
      WHERE d.defaclnamespace = 0 AND d.defaclobjtype IN ('f', 'T') AND NOT EXISTS (SELECT FROM aclexplode(d.defaclacl) a WHERE a.grantee = 0)
    ) c
  WHERE n.nspname IS DISTINCT FROM 'wevrun'
) x
GROUP BY x.defaclrole
ORDER BY 2;
SELECT 'label of', l.objname,
  format('SECURITY LABEL FOR %I ON %s %s IS %L;', l.provider, upper(l.objtype), l.objname, l.label)
FROM pg_seclabels l
WHERE l.objoid >= 16384 AND l.objtype NOT IN ('database', 'role', 'tablespace', 'large object', 'subscription') AND l.objname !~ '^wevrun\M'
ORDER BY l.objtype, l.objname, l.provider;
