import type { KeptFilter } from '@moorage/contract/filters';
import { roles, type Role } from '@moorage/contract/people';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Somebody who may sign in. */
class PersonModel extends Model<InferAttributes<PersonModel>, InferCreationAttributes<PersonModel>> {
  declare name: string;
  declare title: string;
  declare role: Role;
  declare namespaces: string[];
  declare passwordHash: string;
  /** Filters of claims that they keep by name. */
  declare filters: CreationOptional<KeptFilter[]>;
}

export const people = table('people', PersonModel, {
  name: { type: DataTypes.TEXT, primaryKey: true },
  title: { type: DataTypes.TEXT, allowNull: false },
  role: { type: DataTypes.TEXT, allowNull: false, validate: { isIn: [[...roles]] } },
  namespaces: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false, defaultValue: [] },
  passwordHash: { type: DataTypes.TEXT, allowNull: false },
  filters: { type: DataTypes.JSONB, allowNull: false, defaultValue: [] },
});
