import type { FileOut, Placed } from "../../api/client";
import type { StepProps } from "../../marks/props";

/** What a part of a thing's card needs: the thing, and the way to change some of its fields. */
export type Setting = {
  placed: Placed;
  set: (values: Partial<Placed>, label: string) => void;
};

/** What its surfaces and prints need besides: its own file, and those of the project. */
export type SurfaceProps = StepProps & {
  placed: Placed;
  file: FileOut;
  files: FileOut[];
  projectId: string;
};
