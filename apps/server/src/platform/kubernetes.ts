import { TaskCancelledError, timeout, TimeoutStrategy, type TimeoutPolicy } from 'cockatiel';
import type { Metrics } from '../metrics/metrics';
import * as client from './platform-client';
import {
  PlatformProblem,
  type PlatformConnector,
  type PlatformEvent,
  type PlatformObject,
  type PlatformPage,
  type PlatformProblemCode,
  type Plural,
  type Saying,
} from './connector';

const bucketGroup = { group: 'objectstorage.k8s.io', version: 'v1alpha1' } as const;
function ofBuckets(kind: string, plural: string) {
  const apiVersion = `${bucketGroup.group}/${bucketGroup.version}`;
  return { apiVersion, kind, path: `/apis/${apiVersion}/${plural}` };
}
const bucketPlurals: Readonly<Record<string, string>> = {
  Bucket: 'buckets',
  BucketClaim: 'bucketclaims',
  BucketAccess: 'bucketaccesses',
};

const collections: Record<Plural, { apiVersion: string; kind: string; path: string }> = {
  namespaces: { apiVersion: 'v1', kind: 'Namespace', path: '/api/v1/namespaces' },
  nodes: { apiVersion: 'v1', kind: 'Node', path: '/api/v1/nodes' },
  pods: { apiVersion: 'v1', kind: 'Pod', path: '/api/v1/pods' },
  persistentvolumes: { apiVersion: 'v1', kind: 'PersistentVolume', path: '/api/v1/persistentvolumes' },
  persistentvolumeclaims: { apiVersion: 'v1', kind: 'PersistentVolumeClaim', path: '/api/v1/persistentvolumeclaims' },
  statefulsets: { apiVersion: 'apps/v1', kind: 'StatefulSet', path: '/apis/apps/v1/statefulsets' },
  storageclasses: {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    path: '/apis/storage.k8s.io/v1/storageclasses',
  },
  csinodes: {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSINode',
    path: '/apis/storage.k8s.io/v1/csinodes',
  },
  poddisruptionbudgets: {
    apiVersion: 'policy/v1',
    kind: 'PodDisruptionBudget',
    path: '/apis/policy/v1/poddisruptionbudgets',
  },
  resourcequotas: { apiVersion: 'v1', kind: 'ResourceQuota', path: '/api/v1/resourcequotas' },
  volumeattachments: {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'VolumeAttachment',
    path: '/apis/storage.k8s.io/v1/volumeattachments',
  },
  bucketclasses: ofBuckets('BucketClass', 'bucketclasses'),
  bucketclaims: ofBuckets('BucketClaim', 'bucketclaims'),
  bucketaccesses: ofBuckets('BucketAccess', 'bucketaccesses'),
};

/** How long a call may take: a platform that takes calls and never answers must not hold what waits for it for ever. */
const usualPatienceMs = 30_000;

const codes: Record<number, PlatformProblemCode> = {
  ...{ 403: 'forbidden', 404: 'not-found', 410: 'gone', 422: 'invalid' },
  429: 'not-now',
};

interface StatusBody {
  message?: string;
  reason?: string;
  details?: { causes?: { field?: string; message?: string }[] };
}

function problemOf(error: unknown): PlatformProblem {
  if (error instanceof PlatformProblem) return error;
  if (error instanceof TaskCancelledError)
    return new PlatformProblem(
      'unreachable',
      'the platform did not answer in time; what was asked may be done all the same',
    );
  if (!(error instanceof client.ApiException))
    return new PlatformProblem('unreachable', error instanceof Error ? error.message : String(error));
  let body: StatusBody = {};
  try {
    body = (typeof error.body === 'string' ? JSON.parse(error.body) : error.body) as StatusBody;
  } catch {
    // an answer that is no Status object has only its code to go by
  }
  const conflict = body.reason === 'AlreadyExists' ? 'exists' : 'conflict';
  const code = error.code === 409 ? conflict : (codes[error.code] ?? 'failed');
  const causes = (body.details?.causes ?? []).map((c) => ({ field: c.field ?? '', message: c.message ?? '' }));
  return new PlatformProblem(code, body.message ?? `the platform answered ${error.code}`, causes);
}

/** A moment as the client gives it: a date, or its text; the beginning of time where it is none. */
const momentOf = (at: Date | string | undefined): string => {
  const moment = new Date(at ?? 0);
  return (Number.isNaN(moment.getTime()) ? new Date(0) : moment).toISOString();
};

/** The platform through its standard client. */
export class KubernetesConnector implements PlatformConnector {
  private readonly config = new client.KubeConfig();
  private readonly objects: client.KubernetesObjectApi;
  private readonly core: client.CoreV1Api;
  private readonly custom: client.CustomObjectsApi;
  private readonly version: client.VersionApi;
  private readonly patience: TimeoutPolicy;

  constructor(
    server: string,
    token: string | undefined,
    private readonly metrics: Metrics,
    patienceMs = usualPatienceMs,
  ) {
    this.patience = timeout(patienceMs, TimeoutStrategy.Aggressive);
    this.config.loadFromOptions({
      clusters: [{ name: 'site', server, skipTLSVerify: server.startsWith('http:') }],
      users: [{ name: 'moorage', token }],
      contexts: [{ name: 'site', cluster: 'site', user: 'moorage' }],
      currentContext: 'site',
    });
    this.objects = client.KubernetesObjectApi.makeApiClient(this.config);
    this.core = this.config.makeApiClient(client.CoreV1Api);
    this.custom = this.config.makeApiClient(client.CustomObjectsApi);
    this.version = this.config.makeApiClient(client.VersionApi);
  }

  private async call<T>(name: string, work: () => Promise<T>): Promise<T> {
    try {
      return await this.metrics.timed('platform', name, () => this.patience.execute(work));
    } catch (error) {
      throw problemOf(error);
    }
  }

  async fetchTime(): Promise<Date> {
    const { headers } = await this.call('version', () => this.version.getCodeWithHttpInfo());
    const at = new Date(headers.date ?? '');
    if (Number.isNaN(at.getTime())) throw problemOf(new Error('the platform did not say what time it is there'));
    return at;
  }

  async *pages(plural: Plural): AsyncGenerator<PlatformPage> {
    const { apiVersion, kind } = collections[plural];
    let version = '';
    let next: string | undefined;
    do {
      const page = await this.call('list', () =>
        this.objects.list(
          apiVersion,
          kind,
          undefined,
          undefined,
          undefined,
          undefined,
          undefined,
          undefined,
          500,
          next,
        ),
      );
      version = page.metadata?.resourceVersion ?? version;
      next = page.metadata?._continue || undefined;
      yield { items: JSON.parse(JSON.stringify(page.items)) as PlatformObject[], version };
    } while (next);
  }

  watch(
    plural: Plural,
    version: string,
    onEvent: (event: PlatformEvent | { version: string }) => void,
    signal: AbortSignal,
  ): Promise<void> {
    return new Promise((resolve, reject) => {
      if (signal.aborted) return resolve();
      // at once, even while the platform has not begun to answer
      signal.addEventListener('abort', () => resolve(), { once: true });
      let gone: PlatformProblem | undefined;
      const onLine = (type: string, object: PlatformObject & { code?: number; message?: string }) => {
        if (signal.aborted) return;
        if (type === 'ERROR')
          gone = new PlatformProblem(object.code === 410 ? 'gone' : 'failed', object.message ?? 'the watch failed');
        else if (type === 'BOOKMARK') onEvent({ version: object.metadata.resourceVersion! });
        else onEvent({ type: type as PlatformEvent['type'], object });
      };
      const done = (error: unknown) => {
        const aborted = signal.aborted || (error as { name?: string } | null)?.name === 'AbortError';
        if (gone) reject(gone);
        else if (error && !aborted)
          reject(new PlatformProblem('unreachable', error instanceof Error ? error.message : String(error)));
        else resolve();
      };
      new client.Watch(this.config)
        .watch(
          collections[plural].path,
          { resourceVersion: version, allowWatchBookmarks: true, timeoutSeconds: 600 },
          onLine,
          done,
        )
        .then((controller) => {
          const abort = () => controller.abort();
          if (signal.aborted) abort();
          else signal.addEventListener('abort', abort, { once: true });
        }, done);
    });
  }

  async create(object: PlatformObject): Promise<PlatformObject> {
    const made = await this.call('create', () => this.objects.create(object as client.KubernetesObject));
    return JSON.parse(JSON.stringify(made)) as PlatformObject;
  }

  async find(apiVersion: string, kind: string, name: string, namespace?: string): Promise<PlatformObject | undefined> {
    try {
      const found = await this.call('read', () =>
        this.objects.read({ apiVersion, kind, metadata: { name, namespace: namespace ?? '' } }),
      );
      return JSON.parse(JSON.stringify(found)) as PlatformObject;
    } catch (error) {
      if (error instanceof PlatformProblem && error.code === 'not-found') return undefined;
      throw error;
    }
  }

  async mergePatch(object: PlatformObject): Promise<PlatformObject> {
    const made = await this.call('patch', () =>
      this.objects.patch(
        object as client.KubernetesObject,
        undefined,
        undefined,
        undefined,
        undefined,
        client.PatchStrategy.MergePatch,
      ),
    );
    return JSON.parse(JSON.stringify(made)) as PlatformObject;
  }

  async patchClaimStatus({ metadata, status }: PlatformObject): Promise<PlatformObject> {
    const { name, namespace = '', resourceVersion } = metadata;
    const body = { metadata: { resourceVersion }, status };
    const made = await this.call('patch', () =>
      this.core.patchNamespacedPersistentVolumeClaimStatus(
        { name, namespace, body },
        client.setHeaderOptions('Content-Type', client.PatchStrategy.MergePatch),
      ),
    );
    return JSON.parse(JSON.stringify(made)) as PlatformObject;
  }

  async sayingsOf(namespace: string, of: { kind: string; name: string; uid?: string }): Promise<Saying[]> {
    const fields = { kind: of.kind, name: of.name, ...(of.uid !== undefined && { uid: of.uid }) };
    const fieldSelector = Object.entries(fields)
      .map(([field, value]) => `involvedObject.${field}=${value}`)
      .join(',');
    const page = await this.call('events', () =>
      this.core.listNamespacedEvent({ namespace, fieldSelector, limit: 100 }),
    );
    return page.items.map((e): Saying => {
      const last = e.series?.lastObservedTime ?? e.lastTimestamp ?? e.eventTime ?? e.metadata.creationTimestamp;
      const first = e.firstTimestamp ?? e.eventTime ?? e.metadata.creationTimestamp ?? last;
      return {
        ...{ isWarning: e.type === 'Warning', reason: e.reason ?? '', message: e.message ?? '' },
        ...{ first: momentOf(first), last: momentOf(last), count: e.series?.count ?? e.count ?? 1 },
        by: e.source?.component || e.reportingComponent || 'the platform',
      };
    });
  }

  async patchBucketStatus({ kind = '', metadata, status }: PlatformObject): Promise<PlatformObject> {
    const { name, namespace, resourceVersion } = metadata;
    const at = { ...bucketGroup, plural: bucketPlurals[kind]!, name, body: { metadata: { resourceVersion }, status } };
    const merging = client.setHeaderOptions('Content-Type', client.PatchStrategy.MergePatch);
    const made: unknown = await this.call('patch', () =>
      namespace === undefined
        ? this.custom.patchClusterCustomObjectStatus(at, merging)
        : this.custom.patchNamespacedCustomObjectStatus({ ...at, namespace }, merging),
    );
    return JSON.parse(JSON.stringify(made)) as PlatformObject;
  }

  async evict(namespace: string, name: string, uid: string): Promise<void> {
    const body = { metadata: { name, namespace }, deleteOptions: { preconditions: { uid } } };
    try {
      await this.call('evict', () => this.core.createNamespacedPodEviction({ name, namespace, body }));
    } catch (error) {
      // gone, or another of its name by now
      if (!(error instanceof PlatformProblem && (error.code === 'not-found' || error.code === 'conflict'))) throw error;
    }
  }

  async ensureDeleted(apiVersion: string, kind: string, name: string, namespace?: string, uid?: string): Promise<void> {
    const object = { apiVersion, kind, metadata: { name, namespace } };
    const only = uid === undefined ? undefined : { preconditions: { uid } };
    try {
      await this.call('delete', () =>
        this.objects.delete(object, undefined, undefined, undefined, undefined, undefined, only),
      );
    } catch (error) {
      const isGone = error instanceof PlatformProblem && error.code === 'not-found';
      // there is one of its name, and it is another
      const isOther = uid !== undefined && error instanceof PlatformProblem && error.code === 'conflict';
      if (!isGone && !isOther) throw error;
    }
  }
}
