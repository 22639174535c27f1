import type { Express } from 'express';
import { notFound, RedfishError } from './errors';
import type { Backend } from './model';
import { answerCollection } from './query';
import type { Views } from './views';
import { collection, link, root } from './service-views';

/** Systems, chassis and the drives in them. */
export function nodesAndDrives(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  const byNode = new Map<string, typeof seed.drives>(
    seed.nodes.map((n) => [n, seed.drives.filter((d) => d.node === n)]),
  );
  app.get(`${root}/Systems`, (req, res) => {
    answerCollection(req, res, 'ComputerSystem', 'Systems', [
      { path: at.system(seed.id), whole: whole },
      ...seed.nodes.map((n) => ({ path: at.system(n), whole: () => view.system(n) })),
    ]);
  });
  const whole = () => ({
    ...link(at.system(seed.id)),
    '@odata.type': '#ComputerSystem.v1_23_0.ComputerSystem',
    Id: seed.id,
    Name: seed.title,
    SystemType: 'Virtual',
    Status: { State: 'Enabled', Health: 'OK' },
    Storage: link(`${root}/Storage`),
    LogServices: link(`${at.system(seed.id)}/LogServices`),
    ...(seed.filesAt && { EthernetInterfaces: link(at.interfaces) }),
    Links: { Chassis: seed.nodes.map((n) => link(at.chassis(n))) },
    ...view.reset(seed.id),
  });
  app.get(at.system(seed.id), (_req, res) => {
    res.json(whole());
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
  app.get(at.entries, (req, res) => {
    // log entries are shown whole in their collection, as the standard has it
    req.query.$expand ??= '.';
    const entries = backend.events.map((e, i) => ({ path: `${at.entries}/${i + 1}`, whole: () => view.entry(e, i) }));
    answerCollection(req, res, 'LogEntry', 'Entries', entries);
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
    const members = seed.nodes.map((n) => ({ path: at.chassis(n), whole: () => chassis(n) }));
    answerCollection(req, res, 'Chassis', 'Nodes', members);
  });
  app.get(`${root}/Chassis/:node`, (req, res) => {
    res.json(chassis(nodeNamed(req.params.node)));
  });
  app.get(`${root}/Chassis/:node/Drives`, (req, res) => {
    const drives = byNode.get(nodeNamed(req.params.node))!;
    let use: ReturnType<typeof backend.useOfDrives> | undefined;
    const members = drives.map((d) => ({
      path: at.drive(d),
      whole: () => view.drive(d, (use ??= backend.useOfDrives())),
    }));
    answerCollection(req, res, 'Drive', 'Drives', members);
  });
  app.get(`${root}/Chassis/:node/Drives/:drive`, (req, res) => {
    const drive = backend.drive(req.params.drive);
    if (drive.node !== nodeNamed(req.params.node)) throw notFound('Drive', req.params.drive);
    res.json(view.drive(drive, backend.useOfDrives()));
  });
}
