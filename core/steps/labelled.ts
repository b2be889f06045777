/** Lanes with a label, as steps hold them. Read apart from the lane itself, so that a step's file never needs the lane's first. */
import { z } from 'zod';
import { laneSchema, type Lane } from './lane.ts';
import { naming } from '../text/text.ts';

/** `{ label, …more, lane }`. A getter for the lane lets this file and the steps' be read in either order. */
export const labelledLane = <T extends z.ZodRawShape>(more: T) =>
  z.strictObject({
    label: naming(),
    ...more,
    get lane(): z.ZodType<Lane> {
      return laneSchema;
    }
  });
