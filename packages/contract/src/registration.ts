import { z } from 'zod';
import { trustSchema } from './backends';

const address = z
  .url({ protocol: /^https?$/, error: 'An address like https://10.40.8.5:8443, with http or https.' })
  .max(300);
const name = z
  .string()
  .regex(
    /^[a-z]([-a-z0-9]{0,38}[a-z0-9])?$/,
    'Small letters, digits and hyphens, beginning with a letter, at most 40.',
  );
const secret = z.string().min(1, 'The password is missing.').max(500);

/** What is needed to speak to a backend. */
export const accessSchema = z.object({
  address,
  username: z.string().min(1, 'The user name is missing.').max(200),
  password: secret,
  trust: trustSchema.default({ kind: 'system' }),
});
export type Access = z.infer<typeof accessSchema>;

export const registrationSchema = accessSchema.extend({
  id: name,
  title: z.string().min(1, 'A short title is missing.').max(80),
  sites: z.array(z.string().min(1).max(60)).min(1, 'At least one site that reaches it.').max(50),
});
export type Registration = z.infer<typeof registrationSchema>;

export const credentialsSchema = z.object({ username: z.string().min(1).max(200), password: secret });

export const backendChangeSchema = z.object({
  title: z.string().min(1).max(80).optional(),
  sites: z.array(z.string().min(1).max(60)).min(1).max(50).optional(),
  /** Bytes over all pools; null takes the cap away. */
  cap: z.int().positive().nullable().optional(),
});
/** A backend, and an address that may mount its exports or not. */
export const clientAtSchema = z.object({ id: z.string(), address: z.ipv4() });
export type ClientAt = z.infer<typeof clientAtSchema>;

export type BackendChange = z.infer<typeof backendChangeSchema>;

/** What a look at an address found; everything but `ready` says what to do in the interface's words. */
export const probeOutcomes = [
  'ready',
  'name-not-found',
  'refused',
  'timed-out',
  'not-trusted',
  'not-storage',
  'wrong-credentials',
  'lacking-rights',
  'too-old',
  'nonsense',
] as const;
export type ProbeOutcome = (typeof probeOutcomes)[number];

export const certificateSchema = z.object({
  subject: z.string(),
  issuer: z.string(),
  fingerprint: z.string(),
  validTo: z.string(),
});
export type Certificate = z.infer<typeof certificateSchema>;

export const probeSchema = z.object({
  outcome: z.enum(probeOutcomes),
  /** The words of whoever refused, for the curious. */
  detail: z.string(),
  /** What it says it is. */
  product: z.string().nullable(),
  version: z.string().nullable(),
  /** What it is known by, whatever its address. */
  identity: z.string().nullable(),
  /** The certificate it showed, whether trusted or not. */
  certificate: certificateSchema.nullable(),
  pools: z.array(
    z.object({
      name: z.string(),
      protocols: z.array(z.string()),
      accessModes: z.array(z.string()),
      volumeModes: z.array(z.string()),
      snapshots: z.boolean(),
      clones: z.boolean(),
      expansion: z.boolean(),
      encryption: z.boolean(),
      /** IOPS it says it can do, to hold floors and ceilings against; 0 when it says nothing. */
      iops: z.number(),
      copies: z.int(),
      offsite: z.boolean(),
      minimum: z.number(),
      maximum: z.number(),
      granule: z.number(),
    }),
  ),
  nodes: z.int(),
  disks: z.int(),
});
export type Probe = z.infer<typeof probeSchema>;

/** After a change of credentials: whether the backend still takes the ones before. */
export const credentialsChangedSchema = z.object({ old: z.enum(['refused', 'still-accepted', 'not-known', 'same']) });
export type CredentialsChanged = z.infer<typeof credentialsChangedSchema>;
