import { z } from 'zod';

/** RFC 9457 problem details, with a code for programs and the field that is wrong. */
export const problemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.int(),
  detail: z.string(),
  code: z.string(),
  /** The offending member of the body, dotted, when one is to blame. */
  field: z.string().optional(),
  errors: z.array(z.object({ field: z.string(), detail: z.string() })).optional(),
});
export type Problem = z.infer<typeof problemSchema>;
