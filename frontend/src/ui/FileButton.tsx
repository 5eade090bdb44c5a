import { useRef } from "react";
import { Button } from "./controls";

type Props = {
  children: React.ReactNode;
  accept: string;
  onFiles: (files: File[]) => void;
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
        className="hidden"
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </>
  );
}
export const PHOTOGRAPHS =
  ".jpg,.jpeg,.png,.tif,.tiff,.webp,.avif,.heic,.dng,.nef,.cr2,.cr3,.arw,.raf,.orf,.rw2";
export const MODELS = ".glb,.gltf";
