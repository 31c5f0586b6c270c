// The segment tags of a zone or region: used and free, their ranges, and ends that differ.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { call, type Told } from "../api/client";
import { Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { Facts } from "../parts/Facts";
import { RecordTable } from "../parts/RecordTable";

export function Tags({ of, id, name }: { of: "zone" | "region"; id: number; name: string }) {
  const tags = useQuery({ queryKey: ["tags", of, id], queryFn: () => call<Told<"Tags">>("GET", `${of}s/${id}/tags`) });
  return (
    <Card>
      <CardContent>
        <Typography variant="h2" gutterBottom>
          Segment tags
        </Typography>
        <Shown query={tags} what="its segment tags">
          {(data) => (
            <>
              <Facts
                facts={[
                  ["next free", data.next ?? "none"],
                  ["after the last in use", data.after_last ?? "none"],
                  ["free", data.free.length > 12 ? `${data.free.slice(0, 12).join(", ")} and more` : data.free.join(", ")],
                  ["outer tags in use", data.outer_tags.join(", ")],
                ]}
              />
              {data.differing.map((member) => (
                <Alert key={member.id} severity="warning" sx={{ mt: 1 }}>
                  {member.name} has tag {member.tag}, and {member.subnet.name} has {member.subnet_tag ?? "none"}: they do not hear one another.
                </Alert>
              ))}
              {data.ranges.length > 0 && (
                <RecordTable
                  label="Ranges of tags"
                  rows={data.ranges}
                  columns={[
                    { head: "Tags", cell: (row) => `${row.first} to ${row.last}` },
                    { head: "Where", cell: (row) => row.place },
                    { head: "For", cell: (row) => (row.forbidden ? "forbidden" : (row.tier ?? "any tier")) },
                    { head: "Purpose", cell: (row) => row.purpose },
                    { head: "Used", right: true, cell: (row) => row.used },
                    { head: "Free", right: true, cell: (row) => row.free },
                  ]}
                />
              )}
              {data.used.length > 0 && (
                <RecordTable
                  label="Tags in use"
                  rows={data.used.map((row) => ({ ...row, id: row.subnet.id }))}
                  columns={[
                    { head: "Tag", right: true, cell: (row) => row.tag },
                    { head: "Subnet", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> },
                    { head: "Tier", cell: (row) => row.tier },
                    { head: "Where", cell: (row) => row.place },
                  ]}
                />
              )}
            </>
          )}
        </Shown>
      </CardContent>
      <CardContent>
        <CommandLine text={commandLine([of, "tags", name])} />
      </CardContent>
    </Card>
  );
}
