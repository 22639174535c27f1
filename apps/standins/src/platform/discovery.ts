import type { Express } from 'express';
import { apiVersion, basePath, resources, type Resource } from './resources';

const verbs = ['create', 'delete', 'deletecollection', 'get', 'list', 'patch', 'update', 'watch'];

const described = (r: Resource) => [
  {
    name: r.plural,
    singularName: r.singular,
    namespaced: r.namespaced,
    kind: r.kind,
    verbs,
    ...(r.shortNames && { shortNames: r.shortNames }),
  },
  {
    name: `${r.plural}/status`,
    singularName: '',
    namespaced: r.namespaced,
    kind: r.kind,
    verbs: ['get', 'patch', 'update'],
  },
  ...(r.scalable
    ? [
        {
          name: `${r.plural}/scale`,
          singularName: '',
          namespaced: r.namespaced,
          group: 'autoscaling',
          version: 'v1',
          kind: 'Scale',
          verbs: ['get', 'patch', 'update'],
        },
      ]
    : []),
];

const schemaName = (r: Resource): string =>
  r.group ? `io.k8s.api.${r.group.split('.')[0]}.v1.${r.kind}` : `io.k8s.api.core.v1.${r.kind}`;

const schemaOf = (r: Resource) => ({
  type: 'object',
  properties: {
    apiVersion: { type: 'string' },
    kind: { type: 'string' },
    metadata: { type: 'object', 'x-kubernetes-preserve-unknown-fields': true },
  },
  'x-kubernetes-preserve-unknown-fields': true,
  'x-kubernetes-group-version-kind': [{ group: r.group, kind: r.kind, version: r.version }],
});

/** Each resource's addresses with what is done there. */
function pathsOf(r: Resource, ref: string) {
  const collection = basePath(r) + (r.namespaced ? '/namespaces/{namespace}' : '') + `/${r.plural}`;
  const kind = { 'x-kubernetes-group-version-kind': { group: r.group, kind: r.kind, version: r.version } };
  const of = (action: string) => ({
    'x-kubernetes-action': action,
    ...kind,
    responses: { 200: { description: 'OK', content: { 'application/json': { schema: { $ref: ref } } } } },
  });
  return {
    [collection]: { get: of('list'), post: of('post'), delete: of('deletecollection') },
    [`${collection}/{name}`]: { get: of('get'), put: of('put'), patch: of('patch'), delete: of('delete') },
  };
}

/** What the platform says of itself, so that an ordinary client finds its way by itself. */
export function discovery(app: Express): void {
  const groups = [...new Set(resources.filter((r) => r.group).map((r) => r.group))];
  const group = (name: string) => {
    const version = { groupVersion: `${name}/v1`, version: 'v1' };
    return { name, versions: [version], preferredVersion: version };
  };
  const info = { title: 'Kubernetes', version: 'v1.31.0-standin' };
  const build = {
    gitCommit: '0',
    gitTreeState: 'clean',
    buildDate: '2026-01-01T00:00:00Z',
    goVersion: 'none',
    compiler: 'none',
    platform: 'linux/amd64',
  };
  app.get('/version', (_req, res) => {
    res.json({ major: '1', minor: '31', gitVersion: 'v1.31.0-standin', ...build });
  });
  for (const path of ['/healthz', '/livez', '/readyz'])
    app.get(path, (_req, res) => {
      res.type('text/plain').send('ok');
    });
  app.get('/api', (_req, res) => {
    res.json({ kind: 'APIVersions', versions: ['v1'], serverAddressByClientCIDRs: [] });
  });
  app.get('/apis', (_req, res) => {
    res.json({ kind: 'APIGroupList', apiVersion: 'v1', groups: groups.map(group) });
  });
  for (const name of groups)
    app.get(`/apis/${name}`, (_req, res) => {
      res.json({ kind: 'APIGroup', apiVersion: 'v1', ...group(name) });
    });
  const bases = [...new Set(resources.map(basePath))];
  const servedAt = (base: string) => resources.filter((r) => basePath(r) === base);
  for (const base of bases)
    app.get(base, (_req, res) => {
      const served = servedAt(base);
      res.json({
        kind: 'APIResourceList',
        apiVersion: 'v1',
        groupVersion: apiVersion(served[0]!),
        resources: served.flatMap(described),
      });
    });
  app.get('/openapi/v2', (_req, res) => {
    const paths = Object.assign({}, ...resources.map((r) => pathsOf(r, `#/definitions/${schemaName(r)}`))) as object;
    res.json({
      swagger: '2.0',
      info,
      paths,
      definitions: Object.fromEntries(resources.map((r) => [schemaName(r), schemaOf(r)])),
    });
  });
  app.get('/openapi/v3', (_req, res) => {
    res.json({
      paths: Object.fromEntries(bases.map((b) => [b.slice(1), { serverRelativeURL: `/openapi/v3${b}?hash=1` }])),
    });
  });
  for (const base of bases)
    app.get(`/openapi/v3${base}`, (_req, res) => {
      const served = servedAt(base);
      const paths = Object.assign(
        {},
        ...served.map((r) => pathsOf(r, `#/components/schemas/${schemaName(r)}`)),
      ) as object;
      res.json({
        openapi: '3.0.0',
        info,
        paths,
        components: { schemas: Object.fromEntries(served.map((r) => [schemaName(r), schemaOf(r)])) },
      });
    });
}
