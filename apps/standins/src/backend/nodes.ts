import type { Express } from 'express';
import { notFound, RedfishError } from './errors';
import type { Backend } from './model';
import { collection, link, root, type Views } from './views';

/** Systems, chassis and the drives in them. */
export function nodesAndDrives(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  const byNode = new Map<string, typeof seed.drives>(
    seed.nodes.map((n) => [n, seed.drives.filter((d) => d.node === n)]),
  );
  app.get(`${root}/Systems`, (_req, res) => {
    const ids = [seed.id, ...seed.nodes];
    res.json(
      collection(
        'ComputerSystem',
        `${root}/Systems`,
        'Systems',
        ids.map((id) => link(at.system(id))),
      ),
    );
  });
  app.get(at.system(seed.id), (_req, res) => {
    res.json({
      ...link(at.system(seed.id)),
      '@odata.type': '#ComputerSystem.v1_23_0.ComputerSystem',
      Id: seed.id,
      Name: seed.title,
      SystemType: 'Virtual',
      Status: { State: 'Enabled', Health: 'OK' },
      Storage: link(`${root}/Storage`),
      LogServices: link(`${at.system(seed.id)}/LogServices`),
      Links: { Chassis: seed.nodes.map((n) => link(at.chassis(n))) },
      ...view.reset(seed.id),
    });
  });
  const logs = `${at.system(seed.id)}/LogServices`;
  app.get(logs, (_req, res) => {
    res.json(collection('LogService', logs, 'Logs', [link(`${logs}/Events`)]));
  });
  app.get(`${logs}/Events`, (_req, res) => {
    res.json({
      ...link(`${logs}/Events`),
      '@odata.type': '#LogService.v1_7_0.LogService',
      Id: 'Events',
      Name: 'Events',
      Entries: link(at.entries),
    });
  });
  app.get(at.entries, (_req, res) => {
    res.json(
      collection(
        'LogEntry',
        at.entries,
        'Entries',
        backend.events.map((e, i) => view.entry(e, i)),
      ),
    );
  });
  app.get(`${at.entries}/:entry`, (req, res) => {
    const index = Number(req.params.entry) - 1;
    const event = backend.events[index];
    if (!event) throw notFound('LogEntry', req.params.entry);
    res.json(view.entry(event, index));
  });
  const nodeNamed = (name: string | undefined): string => {
    if (name === undefined || !byNode.has(name)) throw notFound('Chassis', String(name));
    return name;
  };
  app.post(`${root}/Systems/:node/Actions/ComputerSystem.Reset`, (req, res) => {
    if ((req.body as { ResetType?: string }).ResetType !== 'On')
      throw new RedfishError(400, 'ActionParameterNotSupported', 'Only the ResetType On can be asked here.');
    if (req.params.node !== seed.id) backend.setNode(nodeNamed(req.params.node), true);
    res.status(204).end();
  });
  app.get(`${root}/Systems/:node`, (req, res) => {
    res.json(view.system(nodeNamed(req.params.node)));
  });
  const chassis = (node: string) => {
    const first = byNode.get(node)![0];
    return {
      ...link(at.chassis(node)),
      '@odata.type': '#Chassis.v1_25_0.Chassis',
      Id: node,
      Name: node,
      ChassisType: 'RackMount',
      Location: { Placement: { Row: first?.zone ?? '', Rack: first?.rack ?? '' } },
      Status: backend.nodeWorks(node)
        ? { State: 'Enabled', Health: 'OK' }
        : { State: 'UnavailableOffline', Health: 'Critical' },
      Drives: link(`${at.chassis(node)}/Drives`),
      Links: { ComputerSystems: [link(at.system(node))] },
    };
  };
  app.get(`${root}/Chassis`, (req, res) => {
    const members = seed.nodes.map((n) => (req.query.$expand ? chassis(n) : link(at.chassis(n))));
    res.json(collection('Chassis', `${root}/Chassis`, 'Nodes', members));
  });
  app.get(`${root}/Chassis/:node`, (req, res) => {
    res.json(chassis(nodeNamed(req.params.node)));
  });
  app.get(`${root}/Chassis/:node/Drives`, (req, res) => {
    const drives = byNode.get(nodeNamed(req.params.node))!;
    const use = req.query.$expand ? backend.useOfDrives() : undefined;
    res.json(
      collection(
        'Drive',
        req.path,
        'Drives',
        drives.map((d) => (use ? view.drive(d, use) : link(at.drive(d)))),
      ),
    );
  });
  app.get(`${root}/Chassis/:node/Drives/:drive`, (req, res) => {
    res.json(view.drive(backend.drive(req.params.drive), backend.useOfDrives()));
  });
}
