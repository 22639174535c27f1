import { serviceEndpoints } from './endpoints/service';
import { peopleEndpoints } from './endpoints/people';
import { backendsEndpoints } from './endpoints/backends';
import { instancesEndpoints } from './endpoints/instances';
import { reshapesEndpoints } from './endpoints/reshapes';
import { findingsEndpoints } from './endpoints/findings';
import { classesEndpoints } from './endpoints/classes';
import { mooringsEndpoints } from './endpoints/moorings';
import { claimsEndpoints } from './endpoints/claims';
import { applicationsEndpoints } from './endpoints/applications';
import { roundsEndpoints } from './endpoints/rounds';
import { salvageEndpoints } from './endpoints/salvage';
import { driftEndpoints } from './endpoints/drift';
import { bucketsEndpoints } from './endpoints/buckets';
import { lookupEndpoints } from './endpoints/lookup';
import { namespacesEndpoints } from './endpoints/namespaces';
import { pastEndpoints } from './endpoints/past';
import { usageEndpoints } from './endpoints/usage';
import { pricesEndpoints } from './endpoints/prices';
import { forecastEndpoints } from './endpoints/forecast';
import { tokensEndpoints } from './endpoints/tokens';
import { wasteEndpoints } from './endpoints/waste';
import { logbookEndpoints } from './endpoints/logbook';
import { operationsEndpoints } from './endpoints/operations';

/** Every route of the API. Authorisation, validation, the OpenAPI document and the clients all read this table. */
export const endpoints = {
  ...serviceEndpoints,
  ...peopleEndpoints,
  ...backendsEndpoints,
  ...instancesEndpoints,
  ...reshapesEndpoints,
  ...findingsEndpoints,
  ...classesEndpoints,
  ...mooringsEndpoints,
  ...claimsEndpoints,
  ...applicationsEndpoints,
  ...roundsEndpoints,
  ...bucketsEndpoints,
  ...lookupEndpoints,
  ...salvageEndpoints,
  ...driftEndpoints,
  ...namespacesEndpoints,
  ...usageEndpoints,
  ...pastEndpoints,
  ...pricesEndpoints,
  ...forecastEndpoints,
  ...tokensEndpoints,
  ...wasteEndpoints,
  ...operationsEndpoints,
  ...logbookEndpoints,
};

export type EndpointName = keyof typeof endpoints;
