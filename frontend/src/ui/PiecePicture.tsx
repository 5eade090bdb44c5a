import { type Piece, pieceUrl } from "../api/client";

/** A small traced picture; an empty place while it is being made, and why where there is none. */
export function PiecePicture({
  piece,
  className = "w-full",
}: {
  piece: Piece | undefined;
  className?: string;
}) {
  const frame = `block aspect-square rounded object-cover ${className}`;
  if (piece?.ready) return <img src={pieceUrl(piece.name)} alt="" className={frame} />;
  return (
    <span
      aria-hidden
      title={piece?.reason ?? "being traced"}
      className={`${frame} bg-lime-200 ${piece?.reason ? "" : "animate-pulse"}`}
    />
  );
}
