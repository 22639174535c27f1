import { useNamespaces } from '../api/queries';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';
import { UseGrid } from './UseGrid';

export default function Namespaces() {
  const query = useNamespaces();
  return (
    <Place
      title="Namespaces"
      question="Who uses how much of which class, and how near is the limit? The tint is the share of the limit; where there is none, it compares with the largest."
    >
      <Fetched query={query}>
        {(rows) =>
          rows.length === 0 ? (
            <Empty title="No namespace is known yet">They appear as soon as the platform answers.</Empty>
          ) : (
            <UseGrid rows={rows} />
          )
        }
      </Fetched>
    </Place>
  );
}
