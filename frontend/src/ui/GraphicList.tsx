import { type FileOut, graphicUrl } from "../api/client";
import { GRAPHICS, useGraphics } from "../state/graphics";
import { FileButton } from "./FileButton";

type Props = { projectId: string; word: string; onUse: (file: FileOut) => void };

/** The project's pictures to choose from, and the way to bring one. */
export function GraphicList({ projectId, word, onUse }: Props) {
  const { graphics, bring } = useGraphics(projectId);
  return (
    <div className="py-1">
      {graphics.length > 0 && (
        <div className="mb-1.5 grid grid-cols-4 gap-1.5">
          {graphics.map((file) => (
            <button
              key={file.sha256}
              type="button"
              title={`${word} ${file.name}`}
              aria-label={`${word} ${file.name}`}
              className="grid aspect-[4/3] place-items-center overflow-hidden rounded-md border border-lime-300 bg-lime-100 hover:border-verdigris"
              onClick={() => onUse(file)}
            >
              <img
                src={graphicUrl(file.sha256)}
                alt=""
                loading="lazy"
                className="max-h-full max-w-full object-contain"
              />
            </button>
          ))}
        </div>
      )}
      <FileButton accept={GRAPHICS} onFiles={(uploads) => void bring(uploads, onUse)}>
        Bring a picture, drawing or film
      </FileButton>
    </div>
  );
}
