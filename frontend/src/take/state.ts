import { create } from "zustand";
import type { Take } from "../api/client";

/** What of a take's frame is on show: itself, who is in front, the small proof, the finished frame. */
export type TakeView = "take" | "front" | "walk" | "film";

type OnShow = {
  /** The frame; null: the photograph, or the clean plate. */
  frame: number | null;
  shown: TakeView;
  /** How many frames before and after are shown over it; 0: none. */
  onion: number;
  /** Where nothing was ever seen empty is hatched on the clean plate. */
  hatched: boolean;
};

/** Frames a second. */
export const rateOf = ({ rate: [frames, seconds] }: Take) => frames / seconds;

const FRESH: OnShow = { frame: null, shown: "take", onion: 0, hatched: false };

export const useOnShow = create<OnShow>(() => FRESH);

/** Another shot is on show: nothing of its take yet. */
export const leaveTake = () => useOnShow.setState(FRESH);
