import { pieceUrl, type Smalls, thumbUrl } from "../api/client";

/** What was there before, until the new small picture is. */
const before = new Map<string, string>();

/** A shot or an option as it stands, small. */
export function Small({
  name,
  smalls,
  photograph,
  className,
}: {
  name: string;
  smalls: Smalls["smalls"];
  photograph: string | undefined;
  className: string;
}) {
  const picture = smalls.find(({ shot }) => shot === name)?.picture;
  if (picture?.ready) before.set(name, pieceUrl(picture.name));
  const source = before.get(name);
  const waits = !picture?.ready && !picture?.reason;
  if (!source && !photograph) return <span className={className} />;
  return (
    <img
      src={source ?? thumbUrl((photograph ?? "").replace("sha256:", ""), 480)}
      alt=""
      title={picture?.reason ?? undefined}
      data-waits={waits || undefined}
      className={`object-cover transition-opacity ${waits ? "opacity-55" : ""} ${className}`}
    />
  );
}
