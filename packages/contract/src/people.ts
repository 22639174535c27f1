import { z } from 'zod';

export const roles = ['administrator', 'operator', 'storage-engineer', 'namespace-owner', 'viewer'] as const;
export type Role = (typeof roles)[number];

export const signInSchema = z.object({ name: z.string().min(1).max(100), password: z.string().min(1).max(200) });
export const personSchema = z.object({
  name: z.string(),
  title: z.string(),
  role: z.enum(roles),
  namespaces: z.array(z.string()),
});
export type Person = z.infer<typeof personSchema>;
/** Who is signed in, to which site, and what its prices are in. */
export const sessionSchema = personSchema.extend({
  site: z.string(),
  /** What prices are in. */
  currency: z.string(),
});
/** People of a demonstration, who are made up: nowhere else is there any. */
export const demoPeopleSchema = z.array(
  z.object({ name: z.string(), title: z.string(), role: z.enum(roles), password: z.string() }),
);
export type Session = z.infer<typeof sessionSchema>;
