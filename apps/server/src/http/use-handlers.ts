import { runwaysText } from '../forecast/export';
import { getForecast, listRunways } from '../forecast/runways';
import { usageMetrics } from '../forecast/usage-metrics';
import { dropScenario, keepScenario, listScenarios, playScenario } from '../forecast/what-if';
import { answerRequest, askForLimit, listRequests, withdrawRequest } from '../namespaces/limit-requests';
import { getLimitEffect, getLimits } from '../namespaces/limit-view';
import { setLimit, setLimits } from '../namespaces/limits';
import { listNamespaces } from '../namespaces/namespaces';
import { setEnforcement } from '../namespaces/quota-objects';
import { getPast, listPastClaims } from '../past/past';
import { listTokens, makeToken, revokeToken } from '../tokens/tokens';
import { historyText, useText } from '../usage/export';
import { getFlows } from '../usage/flows';
import { getHistory } from '../usage/history';
import { dropRate, listRates, noteNames, setRate } from '../usage/prices';
import { getStatement } from '../usage/statement';
import { statementText } from '../usage/statement-export';
import { getUse } from '../usage/use';
import type { Database } from '../database/database';
import { Sight } from '../people/sight';
import { listWaste, setWasteAside, takeWasteUp } from '../waste/waste';
import { answered, type Handlers } from './routes';

/** What is asked about use over time: limits, prices, runways, and what programs read of it. */
export function useHandlers(database: Database, currency: string) {
  return {
    getHistory: ({ query, person }) => getHistory(database, Sight.of(person), query),
    listRates: () => listRates(database),
    setRate: async ({ body, person }) => {
      // a price is of use once it is known which pools it is of
      await noteNames(database);
      return setRate(database, body, person.name);
    },
    dropRate: ({ params, person }) => dropRate(database, params.tier!, params.from!, person.name),
    getStatement: ({ query, person }) => getStatement(database, Sight.of(person), query.month, currency),
    exportStatement: async ({ query, person, response }): Promise<typeof answered> => {
      const statement = await getStatement(database, Sight.of(person), query.month, currency);
      response.attachment(`statement-${query.month}.${query.format}`);
      response.send(statementText(statement, query.format));
      return answered;
    },
    exportUse: async ({ query, person, response }): Promise<typeof answered> => {
      const text = useText(await getUse(database, Sight.of(person), query, currency), query);
      response.attachment('use.csv').send(text);
      return answered;
    },
    exportHistory: async ({ query, person, response }): Promise<typeof answered> => {
      const text = historyText(await getHistory(database, Sight.of(person), query));
      response.attachment('history.csv').send(text);
      return answered;
    },
    exportRunways: async ({ query, person, response }): Promise<typeof answered> => {
      const text = runwaysText(await listRunways(database, Sight.of(person), query));
      response.attachment('runways.csv').send(text);
      return answered;
    },
    getUse: ({ query, person }) => getUse(database, Sight.of(person), query, currency),
    getFlows: ({ query, person }) => getFlows(database, Sight.of(person), query, currency),
    getPast: ({ query, person }) => getPast(database, Sight.of(person), query.at),
    listPastClaims: ({ query, person }) => listPastClaims(database, Sight.of(person), query),
    listNamespaces: ({ person }) => listNamespaces(database, Sight.of(person)),
    setNamespaceLimit: ({ params, body, person }) =>
      setLimit(database, { namespace: params.namespace! }, body, person.name),
    setLimits: ({ body, person }) => setLimits(database, body, person.name),
    setClassLimit: ({ params, body, person }) =>
      setLimit(database, { namespace: params.namespace!, className: params.className! }, body, person.name),
    listWaste: ({ query, person }) => listWaste(database, Sight.of(person), currency, query),
    setWasteAside: ({ body, person }) => setWasteAside(database, Sight.of(person), body, person.name),
    takeWasteUp: ({ body, person }) => takeWasteUp(database, Sight.of(person), body.which, person.name),
    listTokens: ({ person }) => listTokens(database, person),
    makeToken: ({ body, person }) => makeToken(database, body, person),
    revokeToken: ({ params, person }) => revokeToken(database, params.id!, person),
    getUsageMetrics: async ({ query, person, response }): Promise<typeof answered> => {
      const { type, text } = await usageMetrics(database, Sight.of(person), query.top);
      response.type(type).send(text);
      return answered;
    },
    listRunways: ({ query, person }) => listRunways(database, Sight.of(person), query),
    getForecast: ({ query, person }) => getForecast(database, Sight.of(person), query),
    playScenario: ({ body }) => playScenario(database, currency, body),
    listScenarios: () => listScenarios(database),
    keepScenario: ({ params, body, person }) => keepScenario(database, params.name!, body, person.name),
    dropScenario: ({ params, person }) => dropScenario(database, params.name!, person.name),
    getLimits: ({ params, person }) => getLimits(database, Sight.of(person), params.namespace!),
    getLimitEffect: ({ params, query, person }) => getLimitEffect(database, Sight.of(person), params.namespace!, query),
    setEnforcement: ({ params, body, person }) =>
      setEnforcement(database, params.namespace!, body.byPlatform, person.name),
    askForLimit: ({ params, body, person }) => askForLimit(database, params.namespace!, body, person),
    listLimitRequests: ({ query, person }) => listRequests(database, Sight.of(person), query.state),
    answerLimitRequest: ({ params, body, person }) => answerRequest(database, params.id!, body, person.name),
    withdrawLimitRequest: ({ params, person }) => withdrawRequest(database, params.id!, person),
  } satisfies Partial<Handlers>;
}
