import { z } from 'zod';

export const logEntrySchema = z.object({
  id: z.number(),
  at: z.string(),
  person: z.string(),
  action: z.string(),
  kind: z.string(),
  subject: z.string(),
  before: z.unknown(),
  after: z.unknown(),
});
export type LogEntry = z.infer<typeof logEntrySchema>;
export const logPageSchema = z.object({ entries: z.array(logEntrySchema), next: z.string().nullable() });
export const pageQuerySchema = z.object({
  cursor: z.string().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
