import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Whether every namespace may use a class; one without a row is open. */
class ClassAccessModel extends Model<InferAttributes<ClassAccessModel>, InferCreationAttributes<ClassAccessModel>> {
  declare className: string;
  declare open: boolean;
  declare version: CreationOptional<number>;
}

export const classAccess = table('class_access', ClassAccessModel, {
  className: { type: DataTypes.TEXT, primaryKey: true },
  open: { type: DataTypes.BOOLEAN, allowNull: false },
  version: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
});

/** A namespace may use a class that is not open. */
class GrantModel extends Model<InferAttributes<GrantModel>, InferCreationAttributes<GrantModel>> {
  declare className: string;
  declare namespace: string;
  /** Who granted it. */
  declare person: string;
  declare at: CreationOptional<Date>;
}

export const grants = table('grants', GrantModel, {
  className: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  person: { type: DataTypes.TEXT, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
