import { z } from 'zod';
import {
  forecastQuerySchema,
  forecastSchema,
  keepScenarioSchema,
  runwaysQuerySchema,
  runwaysSchema,
  scenarioSchema,
  whatIfAnswerSchema,
  whatIfSchema,
} from '../forecast';
import { engineering, reading, type Endpoint } from './endpoint';

const named = z.object({ name: z.string().trim().min(1).max(100) });
export const forecastEndpoints = {
  listRunways: {
    method: 'get',
    path: '/api/runways',
    summary: 'When what is used comes to its end, what is reached first first',
    allowed: reading,
    query: runwaysQuerySchema,
    response: runwaysSchema,
  },
  exportRunways: {
    method: 'get',
    path: '/api/runways/export',
    summary: 'The same as CSV',
    allowed: reading,
    query: runwaysQuerySchema,
  },
  getForecast: {
    method: 'get',
    path: '/api/forecast',
    summary: 'How one of them came and how it goes on',
    allowed: reading,
    query: forecastQuerySchema,
    response: forecastSchema,
  },
  playScenario: {
    method: 'post',
    path: '/api/what-if',
    summary: 'What changes would do to the pools, and what has to be bought so that they last as long as wished',
    allowed: engineering,
    body: whatIfSchema,
    response: whatIfAnswerSchema,
  },
  listScenarios: {
    method: 'get',
    path: '/api/scenarios',
    summary: 'Scenarios that were kept',
    allowed: engineering,
    response: z.array(scenarioSchema),
  },
  keepScenario: {
    method: 'put',
    path: '/api/scenarios/:name',
    summary: 'Keep a scenario by its name',
    allowed: engineering,
    params: named,
    body: keepScenarioSchema,
    response: scenarioSchema,
  },
  dropScenario: {
    method: 'delete',
    path: '/api/scenarios/:name',
    summary: 'Drop a scenario',
    allowed: engineering,
    params: named,
    status: 204,
  },
} as const satisfies Record<string, Endpoint>;
