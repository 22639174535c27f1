import { applicationPlanSchema, mostReplicas, type ApplicationTextPlan } from '@moorage/contract/applications';
import { nameSchema } from '@moorage/contract/classes';
import type { Person } from '@moorage/contract/people';
import type { Manifest } from '@moorage/core/acts/platform-step';
import { shapeOf } from '@moorage/core/applications/set-shape';
import { accessModes, volumeModes } from '@moorage/core/classes/storage-class';
import type { ReadObject } from '@moorage/manifests/text';
import { z } from 'zod';
import type { Acts } from '../acts/acts';
import { planShape, startObjects } from '../applications/start';
import type { Database } from '../database/database';
import { isMirrored } from '../mirror/mirrored';
import { Refusal } from '../refusals/refusal';
import type { ManifestReader } from './reading';

const words = z.record(z.string(), z.string());
const amounts = z.record(z.string(), z.union([z.string(), z.number()]).transform(String));
/** A set as far as its plan rests on it; the platform looks at the rest when it is made. */
const setSchema = z.looseObject({
  metadata: z.looseObject({ name: nameSchema, namespace: nameSchema.optional() }),
  spec: z.looseObject({
    replicas: z.int().min(0).max(mostReplicas).optional(),
    podManagementPolicy: z.enum(['OrderedReady', 'Parallel']).optional(),
    persistentVolumeClaimRetentionPolicy: z
      .looseObject({ whenScaled: z.string().optional(), whenDeleted: z.string().optional() })
      .optional(),
    template: z.looseObject({
      metadata: z.looseObject({ labels: words }),
      spec: z.looseObject({
        nodeSelector: words.optional(),
        tolerations: z
          .array(
            z.looseObject({
              ...{ key: z.string().optional(), operator: z.string().optional() },
              ...{ value: z.string().optional(), effect: z.string().optional() },
            }),
          )
          .optional(),
        containers: z
          .array(z.looseObject({ resources: z.looseObject({ requests: amounts.optional() }).optional() }))
          .min(1),
        topologySpreadConstraints: z
          .array(
            z.looseObject({
              ...{ maxSkew: z.int().min(1), topologyKey: z.string(), whenUnsatisfiable: z.string().optional() },
              labelSelector: z.looseObject({ matchLabels: words.optional() }).optional(),
            }),
          )
          .optional(),
      }),
    }),
    volumeClaimTemplates: z
      .array(
        z.looseObject({
          metadata: z.looseObject({ name: nameSchema }),
          spec: z.looseObject({
            storageClassName: z.string().optional(),
            accessModes: z.array(z.enum(accessModes)).min(1),
            volumeMode: z.enum(volumeModes).optional(),
            resources: z.looseObject({ requests: z.looseObject({ storage: z.string() }) }),
          }),
        }),
      )
      .min(1, 'It has no claim template: there is nothing to place.'),
  }),
});

const fault = ({ line }: { line: number }, path: string, detail: string): Refusal =>
  Refusal.invalid('text', `Line ${line}${path && `, ${path}`}: ${detail} Nothing was made.`);

const plain = (value: unknown) => JSON.parse(JSON.stringify(value)) as Manifest;

/** The set of a text with what stands beside it; what is no part of an application is refused by its line. */
async function readApplication(reader: ManifestReader, text: string) {
  const objects = await reader.read(text);
  const sets: ReadObject[] = [];
  const beside: ReadObject[] = [];
  for (const object of objects) {
    const [problem] = object.what === 'broken' ? object.problems : [];
    if (problem) throw fault(problem, problem.path.join('.'), problem.detail);
    if (object.kind === 'StatefulSet') sets.push(object);
    else if (object.kind === 'Service' || object.kind === 'Namespace') beside.push(object);
    else
      throw fault(
        object,
        '',
        `A ${object.kind || 'document without a kind'} is not started here: a stateful set, its service and its namespace are.`,
      );
  }
  const [set, second] = sets;
  if (!set) throw Refusal.invalid('text', 'There is no stateful set in it. Nothing was made.');
  if (second) throw fault(second, '', 'One stateful set is started at a time, and this is another one.');
  const read = setSchema.safeParse(plain(set.value));
  if (!read.success) {
    const [issue] = read.error.issues;
    throw fault(set, issue!.path.join('.'), `${issue!.message.replace(/\.?$/, '.')}`);
  }
  const { data } = read;
  const { namespace } = data.metadata;
  if (namespace === undefined) throw fault(set, 'metadata.namespace', 'Say the namespace that it is started in.');
  for (const object of beside) {
    const { metadata = { name: '' } } = plain(object.value) as { metadata?: Manifest['metadata'] };
    const isElsewhere = object.kind === 'Namespace' ? metadata.name !== namespace : metadata.namespace !== namespace;
    if (isElsewhere) throw fault(object, '', `It is not of the namespace ${namespace}, in which the set is started.`);
  }
  const services = beside.filter((o) => o.kind === 'Service').map((o) => plain(o.value));
  return {
    shape: shapeOf(data),
    objects: (makeNamespace: boolean): Manifest[] => {
      const given = beside.find((o) => o.kind === 'Namespace');
      const made = given ? plain(given.value) : { apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace } };
      return [...(makeNamespace ? [made] : []), ...services, plain(set.value)];
    },
    notRead: ['affinity', 'schedulerName', 'nodeName', 'hostNetwork'].filter((m) => m in data.spec.template.spec),
  };
}

/** Where the application of a text would go; nothing is done. */
export async function planApplicationText(
  database: Database,
  site: string,
  reader: ManifestReader,
  text: string,
  person: Person,
): Promise<ApplicationTextPlan> {
  const { shape, notRead } = await readApplication(reader, text);
  const { namespace, name, replicas } = shape;
  const plan = applicationPlanSchema.parse(await planShape(database, site, shape, person));
  return {
    namespace,
    name,
    replicas,
    notRead,
    plan,
    isNewNamespace: !(await isMirrored(database, 'namespaces', namespace)),
  };
}

/** Starts the application of a text, all or nothing, as it is written there. */
export async function startApplicationText(
  database: Database,
  site: string,
  acts: Acts,
  reader: ManifestReader,
  text: string,
  person: Person,
) {
  const { shape, objects } = await readApplication(reader, text);
  const after = { replicas: shape.replicas, templates: shape.templates };
  return startObjects(database, site, acts, person, { shape, objects, after });
}
