import { portableDesignSchema } from '@moorage/contract/reshapes';
import type { PortableDesign } from '@moorage/core/clusters/design-file';
import { parse, stringify } from 'yaml';

const kind = 'commissioning-plan';

/** A design as a file in YAML, to be opened on another set of nodes. */
export const writePlan = (design: PortableDesign): string => stringify({ kind, version: 1, ...design });

/** Reads a plan; a text that is none gives the reason, with the place in it. */
export function readPlan(text: string): { ok: true; plan: PortableDesign } | { ok: false; reason: string } {
  let data: unknown;
  try {
    data = parse(text);
  } catch (error) {
    return { ok: false, reason: `It is not YAML: ${(error as Error).message.split('\n')[0]}` };
  }
  if ((data as { kind?: unknown } | null)?.kind !== kind)
    return { ok: false, reason: `It is not a commissioning plan: its kind must be "${kind}".` };
  const read = portableDesignSchema.safeParse(data);
  if (read.success) return { ok: true, plan: read.data };
  const issue = read.error.issues[0]!;
  return { ok: false, reason: `${issue.path.join('.')}: ${issue.message}` };
}
