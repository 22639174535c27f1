import { randomUUID } from 'node:crypto';
import { disksOf, type SeenDisk } from '@moorage/contract/inventory';
import type { NewReshape, Reshape } from '@moorage/contract/reshapes';
import { assessDesign, forbids, type DesignProblem, type NodeFree } from '@moorage/core/clusters/design';
import { unfit } from '@moorage/core/clusters/disk';
import { predictLeaving, type LeavingProblem } from '@moorage/core/clusters/reshape';
import { getInventory } from '../backends/inventory';
import type { Database } from '../database/database';
import { first } from '../database/statement';
import { announce } from '../live/announce';
import { record } from '../logbook/logbook';
import { operations as operationTable } from '../operations/operation-model';
import { beginOperations } from '../operations/operations';
import { Sight } from '../people/sight';
import { pools } from '../pools/pool-model';
import { Refusal } from '../refusals/refusal';
import { holdDisks, otherHolder } from './begin.sql';
import { getPoolShape } from './pool-shape';
import { reshaping } from './kind';
import { getReshape, metadataPool } from './reshape';
import { reshapeNodes, reshapes, type ReshapeNode } from './reshape-model';

const designWords = (p: DesignProblem): string => {
  switch (p.code) {
    case 'unfit-disk':
      return `Disk ${p.disk} of ${p.node} cannot be taken: ${p.why}.`;
    case 'unknown-disk':
      return `There is no disk ${p.disk}.`;
    case 'two-roles':
      return `Disk ${p.disk} is chosen for two roles.`;
    case 'too-few-domains':
      return `${p.need} failure domains are needed at the level ${p.level}; there are ${p.have}.`;
    case 'slow-metadata':
      return `Disk ${p.disk} of ${p.node} is too slow for metadata.`;
    case 'metadata-domains':
      return `Metadata needs disks in ${p.need} failure domains; there are ${p.have}.`;
    case 'short-of-memory':
      return `${p.node} has ${p.have} bytes of memory free; ${p.need} are needed.`;
    case 'short-of-cores':
      return `${p.node} has ${p.have} cores free; ${p.need} are needed.`;
    case 'mixed-media':
    case 'metadata-small':
      return p.code;
  }
};

const leavingWords = (p: LeavingProblem): string => {
  switch (p.code) {
    case 'too-few-domains':
      return `${p.have} failure domains would be left; its protection needs ${p.need}.`;
    case 'too-small':
      return `${p.need} bytes are written; ${p.have} could be kept then.`;
    case 'copy-homeless':
      return `A copy of ${p.volume} needs ${p.need} bytes elsewhere; the best disk has ${p.have}.`;
  }
};

const refuse = (sentences: readonly string[]): Refusal =>
  new Refusal(
    'conflict',
    'not-possible',
    'This cannot be done',
    `${sentences.slice(0, 3).join(' ')}${sentences.length > 3 ? ` And ${sentences.length - 3} more.` : ''} Nothing was changed.`,
    undefined,
    sentences.slice(0, 100).map((detail) => ({ field: '', detail })),
  );

interface Prepared {
  readonly pool: string;
  readonly nodes: readonly Pick<ReshapeNode, 'node' | 'role' | 'disks'>[];
}

const grouped = (
  disks: readonly SeenDisk[],
  role: ReshapeNode['role'],
): Pick<ReshapeNode, 'node' | 'role' | 'disks'>[] => {
  const nodes = new Map<string, string[]>();
  for (const { id, node } of disks) nodes.set(node, [...(nodes.get(node) ?? []), id]);
  return [...nodes].map(([node, ids]) => ({ node, role, disks: ids }));
};

/** Checks a change against what is known now, and says which disks of which node it takes or gives. */
async function prepare(database: Database, backend: string, asked: NewReshape): Promise<Prepared> {
  const inventory = await getInventory(database, backend);
  const disks = new Map(disksOf(inventory).map((d) => [d.id, d]));
  const named = (ids: readonly string[]): SeenDisk[] =>
    ids.map((id) => {
      const disk = disks.get(id);
      if (!disk) throw refuse([`There is no disk ${id}.`]);
      return disk;
    });
  if (asked.kind === 'commission') {
    const { design } = asked;
    const free = new Map(
      inventory.nodes.flatMap((n): [string, NodeFree][] =>
        n.freeCores === null || n.freeMemory === null ? [] : [[n.name, { cores: n.freeCores, memory: n.freeMemory }]],
      ),
    );
    const wrong = assessDesign(design, disks, free).problems.filter(forbids);
    if (wrong.length > 0) throw refuse(wrong.map(designWords));
    const names = [design.pool, metadataPool(design.pool)];
    const taken = await pools.in(database).count({ where: { id: names } });
    if (taken > 0)
      throw Refusal.invalid('design.pool', `There is a pool "${design.pool}" already. Choose another name.`);
    return {
      pool: design.pool,
      nodes: [...grouped(named(design.data), 'data'), ...grouped(named(design.metadata), 'metadata')],
    };
  }
  const { pool } = asked;
  const known = await pools.in(database).count({ where: { id: pool, backendId: backend } });
  if (known === 0) throw Refusal.notFound('pool', pool);
  const added = 'add' in asked ? named(asked.add) : [];
  const leaving = 'remove' in asked ? named(asked.remove) : [];
  const wrong = added.flatMap((d) => {
    const why = unfit(d);
    return why ? [designWords({ code: 'unfit-disk', disk: d.id, node: d.node, why })] : [];
  });
  for (const d of leaving) if (d.owner !== pool) wrong.push(`Disk ${d.id} does not belong to ${pool}.`);
  if (wrong.length > 0) throw refuse(wrong);
  if (leaving.length > 0) {
    const shape = await getPoolShape(database, Sight.everything, backend, pool);
    const fresh = added.map((d) => ({ ...d, domain: d[shape.level], provisioned: 0, written: 0 }));
    const { problems } = predictLeaving(
      { ...shape, disks: [...shape.disks, ...fresh] },
      new Set(leaving.map((d) => d.id)),
    );
    if (problems.length > 0) throw refuse(problems.map(leavingWords));
  }
  return { pool, nodes: [...grouped(added, 'data'), ...grouped(leaving, 'leaving')] };
}

/** Holds the disks for this change alone; who comes second is told of the first. */
async function hold(database: Database, backend: string, id: string, disks: readonly string[]) {
  const held = await holdDisks(database, backend, id, disks);
  if (held.length === disks.length) return;
  const other = await first(otherHolder(database, backend, disks, id));
  throw new Refusal(
    'conflict',
    'disks-held',
    'Somebody was faster',
    `${other?.person ?? 'Somebody'} is changing ${other?.pool ?? 'a pool'} with disk ${other?.disk ?? ''} at this moment. Nothing was changed; look at the disks again when that has ended.`,
  );
}

/** Begins a change: checked, its disks held, its operation written, all or nothing. */
export async function beginReshape(
  database: Database,
  backend: string,
  asked: NewReshape,
  person: string,
): Promise<{ reshape: Reshape; operations: string[] }> {
  const { pool, nodes } = await prepare(database, backend, asked);
  const id = randomUUID();
  const operations = await database.transaction(async () => {
    await reshapes.in(database).create({ id, backendId: backend, pool, kind: asked.kind, plan: asked, person });
    const disks = nodes.flatMap((n) => n.disks);
    await hold(database, backend, id, disks);
    await reshapeNodes.in(database).bulkCreate(nodes.map((n) => ({ ...n, reshapeId: id, disks: [...n.disks] })));
    const made = await beginOperations(database, reshaping, [id], { about: `${backend}/${pool}`, person });
    const after = { kind: asked.kind, disks: disks.length, nodes: new Set(nodes.map((n) => n.node)).size };
    await record(database, { person, action: 'change', kind: 'pool', subject: pool, after });
    await announce(database, [{ topic: 'reshapes', subject: backend }]);
    return made;
  });
  return { reshape: (await getReshape(database, id))!, operations };
}

/** Asks for a change to be called off; what it took is given back. */
export async function undoReshape(
  database: Database,
  id: string,
  person: string,
): Promise<{ reshape: Reshape; operations: string[] }> {
  const operations = await database.transaction(async () => {
    const marked = await reshapes.in(database).findOne({ where: { id, endedAt: null }, lock: true });
    if (!marked)
      throw new Refusal(
        'conflict',
        'ended',
        'It has ended',
        'This change has ended already; nothing is left to call off.',
      );
    const [, due] = await operationTable
      .in(database)
      .update(
        { cancelledBy: person, stopped: null, nextAttemptAt: null, attempts: 0 },
        { where: { kind: reshaping.kind, subject: id, cancelledBy: null }, returning: true },
      );
    await record(database, { person, action: 'change', kind: 'pool', subject: marked.pool, after: { calledOff: id } });
    return due.map((o) => o.id);
  });
  return { reshape: (await getReshape(database, id))!, operations };
}
