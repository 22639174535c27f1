import { z } from 'zod';
import { endpoints } from './endpoints';
import type { Endpoint } from './endpoints/endpoint';
import { problemSchema } from './problem';

const schemaOf = (schema: z.ZodType, io: 'input' | 'output') => {
  const { $schema: _dialect, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<
    string,
    unknown
  >;
  return rest;
};

/** The OpenAPI 3.1 document, made from the contract so that it cannot say anything else. */
export function openapiDocument(version: string) {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const [operationId, endpoint] of Object.entries(endpoints) as [string, Endpoint][]) {
    const path = endpoint.path.replace(/:(\w+)/g, '{$1}');
    const inPath = [...endpoint.path.matchAll(/:(\w+)/g)].map(([, name]) => ({
      name,
      in: 'path',
      required: true,
      schema: endpoint.params?.shape[name!]
        ? schemaOf(endpoint.params.shape[name!] as z.ZodType, 'input')
        : { type: 'string' },
    }));
    const queried = endpoint.query && (schemaOf(endpoint.query, 'input') as { required?: string[] });
    const inQuery = Object.entries(endpoint.query?.shape ?? {}).map(([name, schema]) => ({
      name,
      in: 'query',
      required: queried?.required?.includes(name) ?? false,
      schema: schemaOf(schema as z.ZodType, 'input'),
    }));
    const ok = {
      description: endpoint.summary,
      ...(endpoint.response && { content: { 'application/json': { schema: schemaOf(endpoint.response, 'output') } } }),
    };
    (paths[path] ??= {})[endpoint.method] = {
      operationId,
      summary: endpoint.summary,
      ...(inPath.length + inQuery.length > 0 && { parameters: [...inPath, ...inQuery] }),
      ...(endpoint.body && {
        requestBody: { required: true, content: { 'application/json': { schema: schemaOf(endpoint.body, 'input') } } },
      }),
      responses: {
        [String(endpoint.status ?? 200)]: ok,
        default: {
          description: 'What went wrong',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
        },
      },
      security: endpoint.allowed === 'everyone' ? [] : [{ session: [] }],
      ...(endpoint.allowed !== 'everyone' && { 'x-roles': endpoint.allowed }),
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Vast Moorage', version, license: { name: 'Unlicensed', identifier: 'LicenseRef-Unlicensed' } },
    servers: [{ url: '/' }],
    paths,
    components: {
      schemas: { Problem: schemaOf(problemSchema, 'output') },
      securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: 'moorage' } },
    },
  };
}
