import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Who is at a thing that is changed in several steps. */
class TurnModel extends Model<InferAttributes<TurnModel>, InferCreationAttributes<TurnModel>> {
  declare thing: string;
  declare turn: string;
  /** The lease of the server that took it. */
  declare runner: number;
  declare at: CreationOptional<Date>;
}

export const turns = table('turns', TurnModel, {
  thing: { type: DataTypes.TEXT, primaryKey: true },
  turn: { type: DataTypes.TEXT, allowNull: false },
  runner: { type: DataTypes.INTEGER, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
