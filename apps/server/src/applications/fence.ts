import type { Database } from '../database/database';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { noteChanged } from '../mirror/mirror';
import { PlatformProblem, type PlatformConnector, type PlatformObject } from '../platform/connector';
import { Refusal } from '../refusals/refusal';

/** The platform's own word for a machine that is known to be off: its pods are let go, and their volumes taken from it at once. */
const outOfService = { key: 'node.kubernetes.io/out-of-service', value: 'nodeshutdown', effect: 'NoExecute' };

/** Tries of a node that is written by others at the same time. */
const most = 4;

interface Taint {
  readonly key: string;
}
const taintsOf = (node: PlatformObject): readonly Taint[] =>
  (node.spec as { taints?: readonly Taint[] } | undefined)?.taints ?? [];
const isReady = ({ status }: PlatformObject): boolean =>
  ((status?.conditions ?? []) as { type: string; status: string }[]).some(
    (c) => c.type === 'Ready' && c.status === 'True',
  );

/**
 * Says to the platform that a node is off, or is no more. That it is off is the word of a person who knows it: were it alive, its
 * pods could go on writing to volumes that are attached elsewhere. A node that answers is refused.
 */
export async function declareOff(...declaring: Parameters<typeof declareOnce>): Promise<void> {
  for (let tries = 1; ; tries++)
    try {
      await declareOnce(...declaring);
      return;
    } catch (error) {
      // somebody wrote it meanwhile, the platform itself for one: it is looked at anew, also whether it answers
      if (!(error instanceof PlatformProblem && error.code === 'conflict') || tries >= most) throw error;
    }
}

async function declareOnce(
  database: Database,
  platform: PlatformConnector,
  name: string,
  { off, confirm }: { off: boolean; confirm?: string },
  person: string,
): Promise<void> {
  // as the platform has it at this moment: what we saw last may be of before it came back
  const node = await platform.find('v1', 'Node', name);
  if (!node) throw Refusal.notFound('node', name);
  const version = node.metadata.resourceVersion!;
  if (off && isReady(node))
    throw new Refusal(
      'conflict',
      'still-answers',
      'It still answers',
      `${name} is heard of by the platform: its pods run, and would go on writing to volumes that are given to others. Nothing was done. Drain it instead.`,
    );
  if (off && confirm !== name)
    throw new Refusal(
      'conflict',
      'confirm-off',
      'Its name is needed',
      `That ${name} is off has to be known, not guessed: a machine that is cut off and alive goes on writing. Give its name to say that it is off.`,
      'confirm',
    );
  const others = taintsOf(node).filter((t) => t.key !== outOfService.key);
  if (others.length === taintsOf(node).length && !off) return;
  const patched = await platform.mergePatch({
    ...{ apiVersion: 'v1', kind: 'Node' },
    // taints that somebody else adds or takes away meanwhile are not written over
    metadata: { name, resourceVersion: version },
    spec: { taints: off ? [...others, outOfService] : others },
  });
  await noteChanged(database, 'nodes', patched, version);
  await record(database, { person, action: 'change', kind: 'node', subject: name, after: { off } });
  await announce(database, [{ topic: 'backends' }, { topic: 'applications' }]);
}
