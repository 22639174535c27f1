import type { Model, ModelAttributes, ModelOptions, ModelStatic } from 'sequelize';
import type { Database } from './database';

/** A table of ours: its model in each database, and what it is made of. */
export interface Table<M extends Model> {
  readonly name: string;
  in(database: Database): ModelStatic<M>;
}

const made = new WeakMap<Database, Map<string, ModelStatic<Model>>>();

/**
 * Declares a table. A process may hold several databases, so each gets a model class of its own, made when it is first asked for.
 * Columns are the
 * attributes' names in lower case with underscores.
 */
export function table<M extends Model>(
  name: string,
  base: ModelStatic<M>,
  attributes: ModelAttributes<M>,
  options: Pick<ModelOptions<M>, 'scopes' | 'validate'> = {},
): Table<M> {
  return {
    name,
    in: (database) => {
      const models = made.get(database) ?? new Map<string, ModelStatic<Model>>();
      made.set(database, models);
      let model = models.get(name) as ModelStatic<M> | undefined;
      if (!model) {
        // of a base that is only known by its type, TypeScript lets no class be made
        model = class extends (base as ModelStatic<Model>) {} as unknown as ModelStatic<M>;
        model.init(
          { ...attributes } as never,
          {
            ...options,
            sequelize: database.sequelize,
            modelName: name,
            tableName: name,
            underscored: true,
            timestamps: false,
          } as never,
        );
        models.set(name, model as ModelStatic<Model>);
      }
      return model;
    },
  };
}
