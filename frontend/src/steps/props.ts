import type { Derived, Shot, ShotOut } from "../api/client";

/** `shot` is what is accepted; `document` and `derived` show it with a change under way on top. */
export type StepProps = { shot: ShotOut; document: Shot; derived: Derived };
