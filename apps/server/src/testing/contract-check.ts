import { Ajv2020, type ValidateFunction } from 'ajv/dist/2020';
import { endpoints } from '@moorage/contract/endpoints';
import type { Endpoint } from '@moorage/contract/endpoints/endpoint';
import { openapiDocument } from '@moorage/contract/openapi';

type Operation = { responses: Record<string, { content?: Record<string, { schema: object }> }> };
const document = openapiDocument('test') as unknown as {
  paths: Record<string, Record<string, Operation>>;
  components: { schemas: { Problem: object } };
};
const ajv = new Ajv2020({ strict: false, allErrors: true, validateFormats: false });
const problem = ajv.compile(document.components.schemas.Problem);

const routes = (Object.values(endpoints) as Endpoint[]).map((endpoint) => ({
  endpoint,
  pattern: new RegExp(`^${endpoint.path.replace(/:\w+/g, '[^/]+')}$`),
}));
const compiled = new Map<Endpoint, ValidateFunction | undefined>();

function validatorOf(endpoint: Endpoint): ValidateFunction | undefined {
  if (!compiled.has(endpoint)) {
    const path = endpoint.path.replace(/:(\w+)/g, '{$1}');
    const answer = document.paths[path]![endpoint.method]!.responses[String(endpoint.status ?? 200)];
    const schema = answer?.content?.['application/json']?.schema;
    compiled.set(endpoint, schema && ajv.compile(schema));
  }
  return compiled.get(endpoint);
}

/** What an answer says that the OpenAPI document does not, if anything. Every answer that the server's tests see comes by here. */
export function breachOf(method: string, path: string, status: number, data: unknown): string | undefined {
  const bare = path.split('?')[0]!;
  // the more literal path first: `/api/backends/probe` is no backend
  const fit = routes.filter((r) => r.endpoint.method === method.toLowerCase() && r.pattern.test(bare));
  const route = fit.find((r) => r.endpoint.path === bare) ?? fit[0];
  if (!route || data === '' || data === undefined) return undefined;
  const validate = status >= 400 && !(bare === '/api/health') ? problem : validatorOf(route.endpoint);
  if (!validate || validate(data)) return undefined;
  const said = (validate.errors ?? [])
    .slice(0, 5)
    .map((e) => `${e.instancePath || '/'} ${e.message} ${JSON.stringify(e.params)}`);
  return `${method} ${bare} answered ${status} with what /api/openapi.json does not declare: ${said.join('; ')}`;
}
