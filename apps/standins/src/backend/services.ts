import type { Express } from 'express';
import { missing, notFound } from './errors';
import type { Backend, ServiceClass } from './model';
import { collection, link, root, type Views } from './views';

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
  const endpoints = [
    ...(seed.paths ?? []).map((p, i) => view.path(p, i)),
    ...(seed.clients ?? []).map((c, i) => view.client(c, i)),
  ];
  app.get(at.endpoints, (req, res) => {
    const members = endpoints.map((e) => (req.query.$expand ? e : link(e['@odata.id'])));
    res.json(collection('Endpoint', at.endpoints, 'Endpoints', members));
  });
  app.get(`${at.endpoints}/:id`, (req, res) => {
    const endpoint = endpoints.find((e) => e.Id === req.params.id);
    if (!endpoint) throw notFound('Endpoint', req.params.id);
    res.json(endpoint);
  });
  app.get(at.classes, (_req, res) => {
    const ids = [...backend.shownPools.map((p) => p.id), ...backend.serviceClasses.keys()];
    res.json(
      collection(
        'ClassOfService',
        at.classes,
        'Classes of service',
        ids.map((id) => link(at.serviceClass(id))),
      ),
    );
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
    const reports = backend.shownPools.map((p) => link(at.report(p.id)));
    res.json(collection('MetricReport', `${telemetry}/MetricReports`, 'Reports', reports));
  });
  app.get(`${telemetry}/MetricReports/:pool`, (req, res) => {
    res.json(view.report(backend.pool(req.params.pool)));
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
  app.get(`${root}/TaskService/Tasks`, (_req, res) => {
    res.json(
      collection(
        'Task',
        `${root}/TaskService/Tasks`,
        'Tasks',
        [...backend.tasks.keys()].slice(-200).map((t) => link(at.task(t))),
      ),
    );
  });
  app.get(`${root}/TaskService/Tasks/:task`, (req, res) => {
    const task = backend.tasks.get(req.params.task);
    if (!task) throw notFound('Task', req.params.task);
    res.json(view.task(task));
  });
}
