import { badRequest } from './status';
import type { KubeObject } from './store';

function member(object: KubeObject, path: string): string {
  let value: unknown = object;
  for (const part of path.split('.')) value = (value as Record<string, unknown> | undefined)?.[part];
  return value === undefined || value === null ? '' : String(value);
}

const key = String.raw`(?:[a-z0-9](?:[-a-z0-9.]*[a-z0-9])?/)?[A-Za-z0-9](?:[-A-Za-z0-9_.]*[A-Za-z0-9])?`;
const value = String.raw`(?:[A-Za-z0-9](?:[-A-Za-z0-9_.]*[A-Za-z0-9])?)?`;
const within = new RegExp(`^(${key})\\s+(in|notin)\\s+\\(([^()]*)\\)$`);
const equal = new RegExp(`^(${key})\\s*(==|=|!=)\\s*(${value})$`);
const present = new RegExp(`^(!?)\\s*(${key})$`);

type Test = (object: KubeObject) => boolean;

function labelTest(raw: string, selector: string): Test {
  const term = raw.trim();
  const set = within.exec(term);
  if (set) {
    const values = set[3]!.split(',').map((v) => v.trim());
    const wants = set[2] === 'in';
    return (o) => {
      const has = o.metadata.labels?.[set[1]!];
      return wants ? has !== undefined && values.includes(has) : has === undefined || !values.includes(has);
    };
  }
  const same = equal.exec(term);
  if (same) {
    const wants = same[2] !== '!=';
    return (o) => (o.metadata.labels?.[same[1]!] === same[3]) === wants;
  }
  const there = present.exec(term);
  if (there) return (o) => there[2]! in (o.metadata.labels ?? {}) === (there[1] === '');
  throw badRequest(`unable to parse requirement: ${JSON.stringify(term)} in labelSelector ${JSON.stringify(selector)}`);
}

/** Fields beside name and namespace that each resource can be selected by; the platform knows no others. */
const selectable: Readonly<Record<string, readonly string[]>> = {
  pods: ['spec.nodeName', 'spec.restartPolicy', 'spec.schedulerName', 'status.phase', 'status.podIP'],
  events: [
    ...['involvedObject.kind', 'involvedObject.namespace', 'involvedObject.name', 'involvedObject.uid'],
    ...['involvedObject.apiVersion', 'involvedObject.resourceVersion', 'involvedObject.fieldPath'],
    ...['reason', 'reportingComponent', 'source', 'type'],
  ],
  nodes: ['spec.unschedulable'],
  namespaces: ['status.phase'],
  secrets: ['type'],
};

function fieldTest(term: string, plural: string): Test {
  const match = /^([^!=]+)(==|=|!=)(.*)$/.exec(term);
  if (!match) throw badRequest(`invalid selector: ${JSON.stringify(term)}; can't understand ${JSON.stringify(term)}`);
  const [, path, operator, wanted] = match as unknown as [string, string, string, string];
  if (!['metadata.name', 'metadata.namespace', ...(selectable[plural] ?? [])].includes(path))
    throw badRequest(`field label not supported: ${path}`);
  return (o) => (member(o, path) === wanted) === (operator !== '!=');
}

/** Whether an object is selected; refuses selectors that the platform would not read. */
export function selection(plural: string, labels: string | undefined, fields: string | undefined): Test {
  const tests = [
    // commas inside `in (a,b)` do not separate requirements
    ...(labels ? labels.split(/,(?![^(]*\))/).map((term) => labelTest(term, labels)) : []),
    ...(fields ?? '')
      .split(',')
      .filter(Boolean)
      .map((term) => fieldTest(term, plural)),
  ];
  return (object) => tests.every((test) => test(object));
}
