import { existsSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { roles } from '@moorage/contract/people';
import { z } from 'zod';
import { freeOn } from './usage/room-left';

/** What stands outside and belongs to this installation: its platform, backends and people. Added at start when missing. */
const estateSchema = z.object({
  site: z.string(),
  platform: z.object({ server: z.url(), token: z.string().optional() }),
  backends: z.array(
    z.object({
      id: z.string(),
      title: z.string(),
      address: z.url(),
      username: z.string(),
      password: z.string(),
      /** Sites whose platforms reach it; this one alone when nothing is said. */
      sites: z.array(z.string()).optional(),
    }),
  ),
  people: z.array(
    z.object({
      name: z.string(),
      title: z.string(),
      role: z.enum(roles),
      password: z.string(),
      namespaces: z.array(z.string()).default([]),
    }),
  ),
});
export type Estate = z.infer<typeof estateSchema>;

export interface Config {
  readonly port: number;
  readonly databaseUrl: string;
  /** Free bytes on the database's disk; null where that is not known. */
  readonly databaseFree: () => Promise<number | null>;
  readonly estate: Estate;
  /** 32 bytes for credentials at rest. */
  readonly key: Buffer;
  readonly sessionSecret: string;
  /** Folder of the built programs: what runs in threads of its own stands there. */
  readonly programs: string;
  /** Names under which browsers reach this installation, beside those of the loopback. */
  readonly hosts: readonly string[];
  /** Three letters of the currency that prices are in. */
  readonly currency: string;
  /** A demonstration: the page for signing in names its made-up people. Never set it for real ones. */
  readonly demo: boolean;
  /** TLS is put before it: cookies are sent over TLS alone, and the proxy's word on addresses is taken. */
  readonly behindTls: boolean;
  /** Folder of the built interface; undefined serves the API alone. */
  readonly webRoot?: string;
  readonly logLevel: string;
  /** Limit for one call to a backend, milliseconds. */
  readonly backendTimeoutMs: number;
  /** Pause between looks at each backend, milliseconds. */
  readonly backendSyncMs: number;
  /** Pause between looks for what should move and does not, milliseconds. */
  readonly sweepMs: number;
  /** Pause between looks for what needs a person, milliseconds. */
  readonly findMs: number;
  /** Least time between two counts of what lies in a bucket, seconds. */
  readonly measureS: number;
}

export function readEstate(path: string): Estate {
  return estateSchema.parse(JSON.parse(readFileSync(path, 'utf8')));
}

function required(name: string): string {
  const value = process.env[name];
  if (!value) throw new Error(`${name} is not set: see docs/operating.md for the settings the server needs.`);
  return value;
}

/** A folder that is named must be there: a slip of the pen would be noticed when it is too late. */
function folderNamed(name: string): string | undefined {
  const folder = process.env[name];
  if (folder && !existsSync(folder))
    throw new Error(`${name} names ${folder}, which is not there: correct it, or leave it out.`);
  return folder;
}

export function configFromEnvironment(): Config {
  const key = Buffer.from(readFileSync(required('MOORAGE_KEY_FILE'), 'utf8').trim(), 'hex');
  if (key.length !== 32) throw new Error('MOORAGE_KEY_FILE must hold 64 hexadecimal digits.');
  const databaseFolder = folderNamed('MOORAGE_DATABASE_FOLDER');
  return {
    port: Number(process.env.MOORAGE_PORT ?? 4400),
    databaseUrl: required('MOORAGE_DATABASE_URL'),
    databaseFree: () => freeOn(databaseFolder),
    estate: readEstate(required('MOORAGE_ESTATE')),
    key,
    sessionSecret: key.toString('base64'),
    programs: dirname(process.argv[1] ?? '.'),
    hosts: (process.env.MOORAGE_HOSTS ?? '')
      .split(',')
      .map((h) => h.trim())
      .filter(Boolean),
    currency: process.env.MOORAGE_CURRENCY ?? 'EUR',
    demo: process.env.MOORAGE_DEMO === '1',
    behindTls: process.env.MOORAGE_BEHIND_TLS === '1',
    webRoot: process.env.MOORAGE_WEB_ROOT,
    logLevel: process.env.MOORAGE_LOG_LEVEL ?? 'info',
    backendTimeoutMs: Number(process.env.MOORAGE_BACKEND_TIMEOUT_MS ?? 10_000),
    backendSyncMs: Number(process.env.MOORAGE_BACKEND_SYNC_MS ?? 5_000),
    sweepMs: 2000,
    findMs: 3000,
    measureS: 30,
  };
}
