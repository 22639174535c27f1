import type { Readiness } from '@moorage/contract/readiness';
import { provisioner } from '@moorage/core/classes/manifest';
import { isReady, nodeReadiness, type NodeFacts } from '@moorage/core/nodes/readiness';
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
    backends: shown.map(({ id, reachable }) => ({ id, reachable })),
    cells: shown.flatMap((b) => {
      const protocols = [...new Set(pools.filter((p) => p.backend_id === b.id).flatMap((p) => p.protocols))];
      return nodes.map((node) => {
        const checks = nodeReadiness(node, provisioner, { ...b.ways, protocols });
        return { node: node.name, backend: b.id, state: isReady(checks), checks };
      });
    }),
  };
}
