import { z } from 'zod'
import { Problem } from '../../core/contracts/problem.ts'
import type { Endpoint } from './endpoint.ts'

const jsonSchema = (schema: z.ZodType, io: 'input' | 'output'): Record<string, unknown> => {
  const { $schema: _dialect, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<
    string,
    unknown
  >
  return rest
}

const parameters = (schema: z.ZodObject | undefined, where: 'path' | 'query'): unknown[] =>
  Object.entries(schema?.shape ?? {}).map(([name, type]) => ({
    name,
    in: where,
    required: where === 'path' || !(type as z.ZodType).safeParse(undefined).success,
    schema: jsonSchema(type as z.ZodType, 'input'),
  }))

const operation = ({ method, path, summary, access, input, reply, status }: Endpoint): unknown => ({
  operationId: `${method} ${path}`,
  summary,
  parameters: [...parameters(input.params, 'path'), ...parameters(input.query, 'query')],
  ...(input.body === undefined
    ? {}
    : {
        requestBody: {
          required: true,
          content: { 'application/json': { schema: jsonSchema(input.body, 'input') } },
        },
      }),
  ...(access === 'open' ? { security: [] } : {}),
  responses: {
    [status]: {
      description: reply === undefined ? 'Done' : 'The result',
      ...(reply === undefined ? {} : { content: { 'application/json': { schema: jsonSchema(reply, 'output') } } }),
    },
    default: {
      description: 'What is wrong, and what to do (RFC 9457)',
      content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
    },
  },
})

/** OpenAPI 3.1 description of the API, made from the schemas that also check it. */
export const describeApi = (endpoints: readonly Endpoint[]): unknown => {
  const paths: Record<string, Record<string, unknown>> = {}
  for (const endpoint of endpoints) {
    const path = endpoint.path.replaceAll(/:(\w+)/g, '{$1}')
    paths[path] = { ...paths[path], [endpoint.method]: operation(endpoint) }
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Zest Lamp', version: '1', description: 'Everything the interface can do, the API can do.' },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }, { session: [] }],
    paths,
    components: {
      schemas: { Problem: jsonSchema(Problem, 'output') },
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'zest_session' },
      },
    },
  }
}
