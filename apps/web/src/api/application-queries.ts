import type { ApplicationQuery, NewApplication } from '@moorage/contract/applications';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ask } from './client';
import { keys } from './keys';

export const useApplications = (query: Readonly<Partial<Record<keyof ApplicationQuery, string | undefined>>>) =>
  useQuery({
    queryKey: keys.applications.page(query),
    queryFn: () => ask('listApplications', { query }),
    placeholderData: keepPreviousData,
  });

export const useApplication = (namespace: string, name: string) =>
  useQuery({
    queryKey: keys.applications.one(namespace, name),
    queryFn: () => ask('getApplication', { params: { namespace, name } }),
  });

/** Where an application would go; not asked as long as what is asked for does not read. */
export const useApplicationPlan = (asked: NewApplication | undefined) =>
  useQuery({
    queryKey: keys.applications.plan(JSON.stringify(asked ?? null)),
    queryFn: () => ask('planApplication', { body: asked! }),
    enabled: asked !== undefined,
    placeholderData: keepPreviousData,
  });

/** Where the application of a manifest would go; not asked without one. */
export const useApplicationTextPlan = (text: string) =>
  useQuery({
    queryKey: keys.applications.text(text),
    queryFn: () => ask('planApplicationText', { body: { text } }),
    enabled: text.trim() !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What more or fewer replicas would bring about; not asked without a count. */
export const useScalePlan = (namespace: string, name: string, replicas: number | undefined) =>
  useQuery({
    queryKey: keys.applications.scale(namespace, name, replicas ?? -1),
    queryFn: () => ask('planScale', { params: { namespace, name }, body: { replicas: replicas! } }),
    enabled: replicas !== undefined,
  });

/** Where replicas would go if they had to keep apart. */
export const useSpreadPlan = (namespace: string, name: string, by: 'nodes' | 'zones') =>
  useQuery({
    queryKey: keys.applications.spread(namespace, name, by),
    queryFn: () => ask('planSpread', { params: { namespace, name }, body: { by } }),
  });

export const useNodes = () => useQuery({ queryKey: keys.applications.nodes(), queryFn: () => ask('listNodes') });

/** What draining a node would bring about; not asked without one. */
export const useDrainPlan = (node: string) =>
  useQuery({
    queryKey: keys.applications.drain(node),
    queryFn: () => ask('planDrain', { params: { node } }),
    enabled: node !== '',
  });
