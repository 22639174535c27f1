import { reportedDays } from './course';
import type { Express, Request } from 'express';
import type { NewClient } from './clients';
import { missing, notFound } from './errors';
import type { Backend } from './model';
import type { ServiceClass } from './resources';
import { answerCollection } from './query';
import type { Views } from './views';
import { collection, link, root } from './service-views';

/** Classes of service, endpoints, telemetry and tasks. */
export function services(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { seed } = backend;
  app.get(`${root}/StorageServices`, (_req, res) => {
    res.json(collection('StorageService', `${root}/StorageServices`, 'Services', [link(at.service)]));
  });
  app.get(at.service, (_req, res) => {
    res.json({
      ...link(at.service),
      '@odata.type': '#StorageService.v1_7_0.StorageService',
      Id: seed.id,
      Name: seed.title,
      ClassesOfService: link(at.classes),
      Endpoints: link(at.endpoints),
    });
  });
  const paths = (seed.paths ?? []).map((p, i) => view.path(p, i));
  const endpoints = ({ socket }: Request) => [
    ...paths,
    ...[...backend.clients.ranges].map(([id, range]) => view.client(range, id)),
    ...(seed.objectPool === undefined ? [] : [view.objects(`${socket.localAddress}:${socket.localPort}`)]),
  ];
  app.get(at.endpoints, (req, res) => {
    const members = endpoints(req).map((e) => ({ path: e['@odata.id'], whole: () => e }));
    answerCollection(req, res, 'Endpoint', 'Endpoints', members);
  });
  app.get(`${at.endpoints}/:id`, (req, res) => {
    const endpoint = endpoints(req).find((e) => e.Id === req.params.id);
    if (!endpoint) throw notFound('Endpoint', req.params.id);
    res.json(endpoint);
  });
  app.post(at.endpoints, (req, res) => {
    const id = backend.clients.add(req.body as NewClient);
    res
      .status(201)
      .location(at.endpoint(id))
      .json(view.client(backend.clients.ranges.get(id)!, id));
  });
  app.delete(`${at.endpoints}/:id`, (req, res) => {
    backend.clients.remove(req.params.id);
    res.status(204).end();
  });
  app.get(at.classes, (req, res) => {
    answerCollection(req, res, 'ClassOfService', 'Classes of service', [
      ...backend.shownPools.map((p) => ({ path: at.serviceClass(p.id), whole: () => view.poolClass(p) })),
      ...[...backend.serviceClasses.values()].map((c) => ({
        path: at.serviceClass(c.id),
        whole: () => view.serviceClass(c),
      })),
    ]);
  });
  app.get(`${at.classes}/:cls`, (req, res) => {
    const pool = backend.shownPools.find((p) => p.id === req.params.cls);
    const cls = backend.serviceClasses.get(req.params.cls);
    if (!pool && !cls) throw notFound('ClassOfService', req.params.cls);
    res.json(pool ? view.poolClass(pool) : view.serviceClass(cls!));
  });
  app.post(at.classes, (req, res) => {
    const body = req.body as {
      Id?: string;
      Name?: string;
      IOConnectivityLinesOfService?: { MaxIOPS?: number; MaxBytesPerSecond?: number; AccessProtocols?: string[] }[];
      DataProtectionLinesOfService?: { RecoveryGeographicObjective?: ServiceClass['scope'] }[];
    };
    const id = body.Id ?? body.Name;
    if (!id) throw missing('Name');
    const connectivity = body.IOConnectivityLinesOfService?.[0];
    const cls: ServiceClass = {
      id,
      maxIops: connectivity?.MaxIOPS,
      maxBytesPerSecond: connectivity?.MaxBytesPerSecond,
      protocols: connectivity?.AccessProtocols,
      scope: body.DataProtectionLinesOfService?.[0]?.RecoveryGeographicObjective,
    };
    backend.addServiceClass(cls);
    res.status(201).location(at.serviceClass(id)).json(view.serviceClass(cls));
  });
  const telemetry = `${root}/TelemetryService`;
  app.get(telemetry, (_req, res) => {
    res.json({
      ...link(telemetry),
      '@odata.type': '#TelemetryService.v1_3_3.TelemetryService',
      Id: 'TelemetryService',
      Name: 'Telemetry',
      MetricReports: link(`${telemetry}/MetricReports`),
    });
  });
  app.get(`${telemetry}/MetricReports`, (_req, res) => {
    const reports = [...backend.shownPools.map((p) => p.id), ...reportedDays(backend).map((d) => `volumes-${d}`)].map(
      (id) => link(at.report(id)),
    );
    res.json(collection('MetricReport', `${telemetry}/MetricReports`, 'Reports', reports));
  });
  app.get(`${telemetry}/MetricReports/:pool`, (req, res) => {
    const day = /^volumes-(\d{4}-\d\d-\d\d)$/.exec(req.params.pool)?.[1];
    if (day !== undefined && !reportedDays(backend).includes(day)) throw notFound('MetricReport', req.params.pool);
    res.json(day === undefined ? view.report(backend.pool(req.params.pool)) : view.dayReport(day));
  });
  app.get(`${root}/TaskService`, (_req, res) => {
    res.json({
      ...link(`${root}/TaskService`),
      '@odata.type': '#TaskService.v1_2_1.TaskService',
      Id: 'TaskService',
      Name: 'Tasks',
      Tasks: link(`${root}/TaskService/Tasks`),
    });
  });
  app.get(`${root}/TaskService/Tasks`, (req, res) => {
    const members = [...backend.tasks.values()]
      .slice(-200)
      .map((t) => ({ path: at.task(t.id), whole: () => view.task(t) }));
    answerCollection(req, res, 'Task', 'Tasks', members);
  });
  app.get(`${root}/TaskService/Tasks/:task`, (req, res) => {
    const task = backend.tasks.get(req.params.task);
    if (!task) throw notFound('Task', req.params.task);
    res.json(view.task(task));
  });
}
