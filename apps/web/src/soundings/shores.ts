/** What stands on a shore, with all that begins or ends there. */
export interface ShoreNode {
  readonly name: string;
  readonly value: number;
  readonly count: number;
  readonly y: number;
  readonly height: number;
}

/** What goes from shore to shore: where it stands on each of them, and how much it is. */
export interface Flow {
  readonly at: readonly string[];
  readonly value: number;
  readonly count: number;
}

/** A flow between two shores. */
export interface ShoreLine<F extends Flow> {
  readonly flow: F;
  /** The shore that it comes from; it goes to the next. */
  readonly shore: number;
  readonly width: number;
  /** Middle of the line at either shore. */
  readonly from: number;
  readonly to: number;
}

const [gap, least, tallest] = [14, 34, 330];

/** Places names on shores and the flows between them; heights and widths go with their values. */
export function layShores<F extends Flow>(
  names: readonly (readonly string[])[],
  flows: readonly F[],
): { shores: ShoreNode[][]; lines: ShoreLine<F>[]; height: number } {
  const total = flows.reduce((sum, f) => sum + f.value, 0);
  const scale = total > 0 ? tallest / total : 0;
  const places = names.map((of) => new Map(of.map((name, i) => [name, i])));
  const shores = names.map((of, shore) => {
    const sums = of.map(() => ({ value: 0, count: 0 }));
    for (const { at, value, count } of flows) {
      const sum = sums[places[shore]!.get(at[shore]!)!]!;
      sum.value += value;
      sum.count += count;
    }
    let y = gap;
    return of.map((name, i): ShoreNode => {
      const height = Math.max(least, sums[i]!.value * scale);
      const node = { name, ...sums[i]!, y, height };
      y += height + gap;
      return node;
    });
  });
  /** Middles of the flows at one shore, in the order in which they stand at another and then at the rest. */
  const middles = (shore: number, beside: number): ReadonlyMap<F, number> => {
    const order = [shore, beside, ...names.keys()];
    const cursors = shores[shore]!.map((n) => n.y + (n.height - n.value * scale) / 2);
    const place = (f: F, s: number) => places[s]!.get(f.at[s]!)!;
    const sorted = [...flows].sort((a, b) => {
      const s = order.find((o) => place(a, o) !== place(b, o));
      return s === undefined ? 0 : place(a, s) - place(b, s);
    });
    return new Map(
      sorted.map((f) => {
        const i = place(f, shore);
        const start = cursors[i]!;
        cursors[i] = start + f.value * scale;
        return [f, start + (f.value * scale) / 2];
      }),
    );
  };
  const lines = names.slice(1).flatMap((_, shore) => {
    // lines leave each shore in the order in which they arrive at the other, so that few cross
    const [starts, ends] = [middles(shore, shore + 1), middles(shore + 1, shore)];
    return flows.map((flow) => ({
      ...{ flow, shore, width: Math.max(1.5, flow.value * scale) },
      ...{ from: starts.get(flow)!, to: ends.get(flow)! },
    }));
  });
  const bottom = Math.max(0, ...shores.flat().map((n) => n.y + n.height));
  return { shores, lines, height: bottom + gap };
}
