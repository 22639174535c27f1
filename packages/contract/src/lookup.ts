import { z } from 'zod';

export const foundKinds = [
  'claim',
  'adrift',
  'bucket',
  'pod',
  'application',
  'disk',
  'node',
  'pool',
  'backend',
  'class',
  'namespace',
] as const;

/** Something that has a text in its name or in one of its identifiers. */
export const foundSchema = z.object({
  kind: z.enum(foundKinds),
  /** As people call it. */
  name: z.string(),
  /** Where it leads: of a claim, a pod, an application and a namespace, the namespace; of a disk, its backend. */
  of: z.string().nullable(),
  /** The identifier that matched, where it is not the name. */
  by: z.string().nullable(),
});
export type Found = z.infer<typeof foundSchema>;

export const lookupQuerySchema = z.object({ q: z.string().trim().min(2).max(200) });
