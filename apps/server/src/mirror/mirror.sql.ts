import { relaxed } from '../database/relaxed.sql';
import { statement } from '../database/statement';
import type { PlatformObject, Plural } from '../platform/connector';

const upsert = `INSERT INTO platform_objects (plural, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at)
   SELECT $1, uid, namespace, name, version, body, class_name, phase, size_bytes, created_at FROM jsonb_to_recordset($2::jsonb)
     AS o(uid text, namespace text, name text, version text, body jsonb, class_name text, phase text, size_bytes bigint, created_at timestamptz)
   ON CONFLICT (plural, uid) DO UPDATE SET namespace = excluded.namespace, name = excluded.name, version = excluded.version,
     body = excluded.body, class_name = excluded.class_name, phase = excluded.phase, size_bytes = excluded.size_bytes`;

const differs = '(platform_objects.version, platform_objects.body) IS DISTINCT FROM (excluded.version, excluded.body)';

/** Writes objects as they are, whatever was known; gives those that differ. */
export const takeObjects = statement<{ uid: string }, [plural: Plural, objects: string]>(
  `${upsert} WHERE ${differs} RETURNING uid`,
);

/** Writes objects that are not known yet. */
export const takeNewObjects = statement<object, [plural: Plural, objects: string]>(`${upsert} WHERE false`);

/** Writes objects that are not known, or known in one version still. */
export const takeIfUnheard = statement<object, [plural: Plural, objects: string, version: string]>(
  `${upsert} WHERE platform_objects.version = $3`,
);

/** Forgets objects of a kind but those of a list, and gives what was forgotten. */
export const dropOthers = statement<{ body: PlatformObject }, [plural: Plural, uids: readonly string[]]>(
  'DELETE FROM platform_objects WHERE plural = $1 AND NOT uid = ANY($2) RETURNING body',
);

const notesVersion = (version: string) =>
  `INSERT INTO mirror_state (plural, version) VALUES ($1, ${version})
   ON CONFLICT (plural) DO UPDATE SET version = excluded.version, seen_at = now()`;

/** Notes how far a kind of object was listed. */
export const noteVersion = statement<object, [plural: Plural, version: string]>(
  `${notesVersion('$2')} RETURNING ${relaxed}`,
);

/** Takes what the platform told of a kind of object, how far that goes, and tells the servers when it is news: one way, since each event comes through here. */
export const takeEvents = statement<
  object,
  [
    plural: Plural,
    changed: string,
    gone: readonly string[],
    version: string,
    channel: string,
    payloads: readonly string[],
  ]
>(
  `WITH taken AS (${upsert} WHERE ${differs} RETURNING uid),
     dropped AS (DELETE FROM platform_objects WHERE plural = $1 AND uid = ANY($3) RETURNING uid),
     noted AS (${notesVersion('$4')}),
     told AS (SELECT pg_notify($5, unnest($6::text[])) FROM (SELECT FROM taken UNION ALL SELECT FROM dropped LIMIT 1) news)
   SELECT count(*), ${relaxed} FROM told`,
  'planned once',
);
