import { Counter, Gauge, Histogram, Registry, type OpenMetricsContentType } from 'prom-client';

/** What the server measures of itself, in OpenMetrics. */
export class Metrics {
  readonly registry = new Registry<OpenMetricsContentType>();
  /** Calls to the outside: the platform and each backend. */
  readonly calls: Histogram<'world' | 'call' | 'outcome'>;
  readonly decisions: Histogram<string>;
  readonly operations: Counter<'kind' | 'state'>;
  readonly requests: Histogram<'method' | 'route' | 'status'>;
  readonly ready: Gauge<string>;
  /** What is kept and was off when it was recounted: none, unless something is wrong with the server. */
  readonly differences: Counter<'facts'>;

  constructor() {
    this.registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
    const registers = [this.registry];
    this.calls = new Histogram({
      name: 'moorage_call_seconds',
      help: 'Calls to the platform and the backends',
      labelNames: ['world', 'call', 'outcome'],
      buckets: [0.005, 0.02, 0.1, 0.5, 2, 10],
      registers,
    });
    this.decisions = new Histogram({
      name: 'moorage_decision_seconds',
      help: 'Choosing a pool, computation only',
      buckets: [0.00001, 0.0001, 0.001, 0.01, 0.1],
      registers,
    });
    this.operations = new Counter({
      name: 'moorage_operation_steps',
      help: 'Steps of operations, by the state reached',
      labelNames: ['kind', 'state'],
      registers,
    });
    this.requests = new Histogram({
      name: 'moorage_request_seconds',
      help: 'Requests answered',
      labelNames: ['method', 'route', 'status'],
      buckets: [0.005, 0.02, 0.1, 0.5, 2],
      registers,
    });
    this.differences = new Counter({
      name: 'moorage_kept_differences',
      help: 'Facts that were kept and were off when recounted',
      labelNames: ['facts'],
      registers,
    });
    this.ready = new Gauge({ name: 'moorage_ready', help: '1 when the server is ready', registers });
  }

  /** Times a call to the outside and notes how it ended. */
  async timed<T>(world: string, call: string, work: () => Promise<T>): Promise<T> {
    const end = this.calls.startTimer({ world, call });
    try {
      const result = await work();
      end({ outcome: 'ok' });
      return result;
    } catch (error) {
      end({ outcome: 'failed' });
      throw error;
    }
  }
}
