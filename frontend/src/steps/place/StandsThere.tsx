import { asked, client, type Placed, type SidesOut } from "../../api/client";
import { newId } from "../../geometry/points";
import type { StepProps } from "../../marks/props";
import { meshProxy } from "../../marks/proxy/made";
import { useChange } from "../../state/changes";
import { say } from "../../state/notices";
import { Button } from "../../ui/controls";
import { Section } from "../Section";

/** A model of what the photograph shows already: its geometry takes shadows there and hides what is behind it. */
export function StandsThere({ placed, shot, document }: StepProps & { placed: Placed }) {
  const { change } = useChange(shot.id);
  const stand = async () => {
    try {
      const path = { shot_id: shot.id, thing_id: placed.id };
      const { sides } = await asked<SidesOut>(
        client.GET("/api/v1/shots/{shot_id}/things/{thing_id}/sides", { params: { path } }),
      );
      const made = meshProxy(newId("p"), placed.name || "Model", sides, document);
      await change(
        { proxies: { [made.id]: made }, models: { [placed.id]: { hidden: true } } },
        `${made.name} as what stands there`,
      );
      say(`${made.name} is among what stands there now, in Contact; the thing itself is hidden.`);
    } catch (error) {
      say((error as Error).message, "wrong");
    }
  };
  return (
    <Section name={`there-${placed.id}`} title="In the photograph already" fact="no: it is added">
      <p className="mb-1.5 text-xs leading-[1.55] text-ink-500">
        A model of something that the photograph shows, laid over it: let it take shadows and hide what is
        behind it, without being drawn itself.
      </p>
      <Button disabled={placed.hidden} onClick={() => void stand()}>
        Use it as what stands there
      </Button>
    </Section>
  );
}
