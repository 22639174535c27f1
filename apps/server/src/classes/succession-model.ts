import type { Succession } from '@moorage/contract/classes';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** How the claims of a class are to move to the class that takes over from it. */
export class Succeeding extends Model<InferAttributes<Succeeding>, InferCreationAttributes<Succeeding>> {
  declare fromClass: string;
  declare toClass: string;
  declare person: string;
  declare moves: Succession['moves'];
  declare createdAt: CreationOptional<Date>;
}

export const successions = table('successions', Succeeding, {
  fromClass: { type: DataTypes.TEXT, primaryKey: true },
  toClass: { type: DataTypes.TEXT, primaryKey: true },
  person: { type: DataTypes.TEXT, allowNull: false },
  moves: { type: DataTypes.JSONB, allowNull: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
