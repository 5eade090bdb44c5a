import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asked, client, type FileOut } from "../../api/client";
import { say } from "../../state/notices";
import { Button } from "../../ui/controls";
import { Section } from "../Section";

const PIECES = ["grey ball", "mirror ball", "white cube", "colour chart"] as const;

type Props = { projectId: string; metric: boolean; onStand: (file: FileOut) => void };

/** Things of known shape and reflectance, stood in the photograph to judge its light by. */
export function CheckPieces({ projectId, metric, onStand }: Props) {
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const stand = async (piece: (typeof PIECES)[number]) => {
    setBusy(true);
    try {
      const params = { path: { project_id: projectId } };
      const answer = client.POST("/api/v1/projects/{project_id}/check-pieces", { params, body: { piece } });
      const file = await asked<FileOut>(answer);
      await queries.invalidateQueries({ queryKey: ["project", projectId] });
      onStand(file);
    } catch (error) {
      say((error as Error).message, "wrong");
    } finally {
      setBusy(false);
    }
  };
  return (
    <Section name="check-pieces" title="Check pieces" fact="balls, a cube, a chart">
      <div className="flex flex-wrap gap-1.5">
        {PIECES.map((piece) => (
          <Button key={piece} disabled={busy || !metric} onClick={() => void stand(piece)}>
            {piece.charAt(0).toUpperCase() + piece.slice(1)}
          </Button>
        ))}
      </div>
      <p className="mt-1.5 text-xs leading-[1.55] text-ink-500">
        {metric
          ? "They stand beside what is there and are things like any other: slide them to where the light is in doubt, make a proof, strike them out again. Grey gives back 18 %, white 80 %, the mirror 90 %."
          : "They need a yardstick first."}
      </p>
    </Section>
  );
}
