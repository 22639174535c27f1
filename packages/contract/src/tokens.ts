import { z } from 'zod';

/** Days that a token lives at most. */
export const longestToken = 366;

export const newTokenSchema = z.object({
  name: z.string().trim().min(1, 'Say what it is for.').max(100),
  /** Namespaces that it reads; null: all that whoever makes it sees. */
  namespaces: z
    .array(z.string().min(1).max(253))
    .min(1, 'Name a namespace at least.')
    .max(1000)
    .nullable()
    .default(null),
  days: z.int().min(1).max(longestToken),
});
export type NewToken = z.infer<typeof newTokenSchema>;

export const tokenSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  namespaces: z.array(z.string()).nullable(),
  person: z.string(),
  createdAt: z.iso.datetime(),
  expiresAt: z.iso.datetime(),
  revokedAt: z.iso.datetime().nullable(),
  /** To the hour; null: never. */
  usedAt: z.iso.datetime().nullable(),
});
export type Token = z.infer<typeof tokenSchema>;
/** The secret is told once. */
export const madeTokenSchema = tokenSchema.extend({ secret: z.string() });
export type MadeToken = z.infer<typeof madeTokenSchema>;
