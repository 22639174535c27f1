import type { ClassRow } from '@moorage/contract/classes';
import type { PlacementState } from '@moorage/contract/moorings';
import type { ReactNode } from 'react';
import { useParams } from 'react-router';
import { useClasses, usePlacement } from '../api/queries';
import { Place } from '../parts/Place';
import { Empty, Fetched } from '../parts/States';

/** A place about the class that the address names, with the live state beside it. */
export function ClassPlace({
  title,
  question,
  children,
}: {
  title: (name: string) => string;
  question: string;
  children: (row: ClassRow, state: PlacementState) => ReactNode;
}) {
  const { name = '' } = useParams();
  const placement = usePlacement();
  const query = useClasses();
  return (
    <Place title={title(name)} question={question}>
      <Fetched query={query}>
        {(classes) => {
          const row = classes.find((c) => c.storageClass.name === name);
          if (!row) return <Empty title={`There is no class ${name}`}>It may have been deleted.</Empty>;
          return <Fetched query={placement}>{(state) => children(row, state)}</Fetched>;
        }}
      </Fetched>
    </Place>
  );
}
