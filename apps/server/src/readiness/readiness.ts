import type { Readiness } from '@moorage/contract/readiness';
import { provisioner } from '@moorage/core/classes/manifest';
import { blockOf, blockText, exactBlocks, rangesSeen, singleBlock } from '@moorage/core/nodes/ranges';
import { isReady, nodeReadiness, type BackendWays, type NodeFacts } from '@moorage/core/nodes/readiness';
import { Op } from 'sequelize';
import { registered } from '../backends/backend-model';
import type { Database } from '../database/database';
import { nodesSeen, protocolsOfPools } from './readiness.sql';

const initiatorsAnnotation = `${provisioner}/initiators`;
async function nodeFacts(database: Database): Promise<NodeFacts[]> {
  const rows = await nodesSeen(database, initiatorsAnnotation);
  return rows.map((n) => ({
    name: n.name,
    addresses: (n.addresses ?? []).filter((a) => a.type === 'InternalIP').map((a) => a.address),
    labels: n.labels ?? {},
    ready: n.ready === 'True',
    drivers: (n.drivers ?? []).map((d) => ({
      name: d.name,
      labels: d.topologyKeys ?? [],
      attachLimit: d.allocatable?.count,
    })),
    initiators: (n.initiators ?? '').split(',').filter(Boolean),
    attached: n.attached,
  }));
}

/** What the exports of a backend let in, beside what the addresses of the nodes need. */
function rangesOf(nodes: readonly NodeFacts[], { clients }: Pick<BackendWays, 'clients'>) {
  if (!clients) return null;
  const blocks = clients.flatMap((c) => blockOf(c.address, c.mask) ?? []);
  // the ranges that backends keep are of the fourth version
  const addresses = nodes.flatMap((n) => n.addresses).filter((a) => a.includes('.'));
  const { missing, strangers, idle } = rangesSeen(addresses, blocks);
  const single = singleBlock(addresses);
  return {
    now: blocks.map(blockText),
    exact: exactBlocks(addresses).map(blockText),
    single: single ? { block: blockText(single.block), strangers: String(single.strangers) } : null,
    ...{ missing: [...missing], strangers: String(strangers), idle: idle.map(blockText) },
  };
}

/** Whether each node of this site can use each backend that serves it, with every check. */
export async function readiness(database: Database, site: string): Promise<Readiness> {
  const [nodes, backends, pools] = await Promise.all([
    nodeFacts(database),
    registered.in(database).findAll({
      attributes: ['id', 'reachable', 'ways'],
      where: { sites: { [Op.contains]: [site] } },
      order: [['id', 'ASC']],
      limit: 200,
    }),
    protocolsOfPools(database),
  ]);
  const shown = backends.filter((b) => pools.some((p) => p.backend_id === b.id));
  return {
    nodes: nodes.map((n) => ({
      name: n.name,
      zone: n.labels['topology.kubernetes.io/zone'] ?? '',
      addresses: [...n.addresses],
    })),
    backends: shown.map(({ id, reachable, ways }) => ({ id, reachable, ranges: rangesOf(nodes, ways) })),
    cells: shown.flatMap((b) => {
      const protocols = [...new Set(pools.filter((p) => p.backend_id === b.id).flatMap((p) => p.protocols))];
      return nodes.map((node) => {
        const checks = nodeReadiness(node, provisioner, { ...b.ways, protocols });
        return { node: node.name, backend: b.id, state: isReady(checks), checks };
      });
    }),
  };
}
