import { useRef } from "react";
import type { Upload } from "../api/client";
import { uploadsOf } from "../state/uploads";
import { Button } from "./controls";

type Props = {
  children: React.ReactNode;
  accept: string;
  onFiles: (uploads: Upload[]) => void;
  look?: "plain" | "primary";
};

export function FileButton({ children, accept, onFiles, look = "plain" }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button look={look} onClick={() => input.current?.click()}>
        {children}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple
        className="hidden"
        onChange={(event) => {
          onFiles(uploadsOf([...(event.target.files ?? [])].map((file) => ({ path: file.name, file }))));
          event.target.value = "";
        }}
      />
    </>
  );
}
export const PHOTOGRAPHS =
  ".jpg,.jpeg,.png,.tif,.tiff,.webp,.avif,.heic,.dng,.nef,.cr2,.cr3,.arw,.raf,.orf,.rw2";
export const PANORAMAS = ".hdr,.exr";
export const PHOTOMETRY = ".ies";
export const COLOUR_TABLES = ".cube";
export const MODELS =
  ".glb,.gltf,.bin,.obj,.mtl,.stl,.ply,.off,.3mf,.step,.stp,.usd,.usda,.usdc,.usdz,.ifc,.zip,.png,.jpg,.jpeg,.webp";
