import { relaxed } from '../database/relaxed.sql';
import { statement } from '../database/statement';
import type { PlatformObject, Plural } from '../platform/connector';

const upsert = `INSERT INTO platform_objects (plural, uid, namespace, name, version, digest, body, class_name, phase, size_bytes, created_at)
   SELECT $1, uid, namespace, name, version, digest, body, class_name, phase, size_bytes, created_at FROM jsonb_to_recordset($2::jsonb)
     AS o(uid text, namespace text, name text, version text, digest text, body jsonb, class_name text, phase text, size_bytes bigint, created_at timestamptz)
   ON CONFLICT (plural, uid) DO UPDATE SET namespace = excluded.namespace, name = excluded.name, version = excluded.version, digest = excluded.digest,
     body = excluded.body, class_name = excluded.class_name, phase = excluded.phase, size_bytes = excluded.size_bytes`;

// by digests: whole objects are long, and of a list that says the same again none is sent
const differs =
  '(platform_objects.version, platform_objects.digest) IS DISTINCT FROM (excluded.version, excluded.digest)';

/** Writes objects as they are, whatever was known. */
export const takeObjects = statement<object, [plural: Plural, objects: string]>(`${upsert} WHERE ${differs}`);

/** What is known of objects, without what they say. */
export const versionsOf = statement<
  { uid: string; version: string; digest: string | null },
  [plural: Plural, uids: readonly string[]]
>('SELECT uid, version, digest FROM platform_objects WHERE plural = $1 AND uid = ANY($2) LIMIT 10000');

/** The database's own time. */
export const listingBegins = statement<{ at: Date }>('SELECT clock_timestamp() AS at');

/** Objects that were known at a moment, in the order of their uids after one of them. */
export const knownAfter = statement<{ uid: string }, [plural: Plural, after: string, before: Date, most: number]>(
  'SELECT uid FROM platform_objects WHERE plural = $1 AND uid > $2 AND noted_at < $3 ORDER BY uid LIMIT $4',
);

/** Writes objects that are not known yet. */
export const takeNewObjects = statement<object, [plural: Plural, objects: string]>(`${upsert} WHERE false`);

/** Writes objects that are not known, or known in one version still. */
export const takeIfUnheard = statement<object, [plural: Plural, objects: string, version: string]>(
  `${upsert} WHERE platform_objects.version = $3`,
);

/** Forgets objects, and gives what was forgotten. */
export const dropObjects = statement<{ body: PlatformObject }, [plural: Plural, uids: readonly string[]]>(
  'DELETE FROM platform_objects WHERE plural = $1 AND uid = ANY($2) RETURNING body',
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
