import { edge } from "./edge";
import { gnomon } from "./gnomon";
import { hand } from "./hand";
import type { Kind } from "./kind";
import { length } from "./length";
import { level } from "./level";
import { model } from "./model";
import { origin } from "./origin";
import { sun } from "./sun";

/** All kinds of marks, in the order in which they lie on the photograph and in their steps. */
export const KINDS: Kind[] = [edge, hand, length, origin, level, model, gnomon, sun];

/** The tool of the kind that is in the hand. */
export const toolOf = (kind: string | undefined) => KINDS.find((one) => one.name === kind)?.tool;
