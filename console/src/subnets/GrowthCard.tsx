// How far the blocks of a subnet can grow in place, and what is in the way.
import Card from "@mui/material/Card";
import Typography from "@mui/material/Typography";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { useBlockHeadroom } from "./queries";

const SHOWN = 3;

export function GrowthCard({ id, name }: { id: number; name: string }) {
  const headroom = useBlockHeadroom(id);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">How far it can grow</Typography>
      <Listed query={headroom} rows={(blocks) => blocks.flatMap((block) => block.steps.map((step) => ({ ...step, block: block.block })))} empty="It is as wide as can be.">
        {(steps) => (
          <RecordTable
            label="Growth in place"
            rows={steps.map((step) => ({ ...step, id: step.prefix }))}
            columns={[
              { head: "Block", cell: (step) => <Mono>{step.block}</Mono> },
              { head: "As", cell: (step) => <Mono>{step.prefix}</Mono> },
              { head: "Possible", cell: (step) => (step.possible ? (step.moves_first ? "yes, its first address changes" : "yes") : "no") },
              {
                head: "In the way",
                cell: (step) =>
                  step.in_the_way.length
                    ? step.in_the_way.slice(0, SHOWN).map((one) => `${one.range} (${one.owner ?? one.state})`).join(", ") + (step.in_the_way.length > SHOWN ? ` and ${step.in_the_way.length - SHOWN} more` : "")
                    : step.possible
                      ? "—"
                      : step.why,
              },
            ]}
          />
        )}
      </Listed>
      <CommandLine text={`lentra headroom --subnet ${name}`} />
    </Card>
  );
}
