import { z } from 'zod';

/** What a live change is about; the browser fetches those places again. */
export const topics = [
  'backends',
  'pools',
  'classes',
  'moorings',
  'claims',
  'namespaces',
  'limits',
  'runways',
  'logbook',
  'reshapes',
  'findings',
  'operations',
  'buckets',
  'applications',
] as const;
export type Topic = (typeof topics)[number];
export const liveEventSchema = z.object({ topic: z.enum(topics), subject: z.string().optional() });
export type LiveEvent = z.infer<typeof liveEventSchema>;
