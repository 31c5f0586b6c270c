import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";

/** Older and newer pages of a list with cursors. */
export function PageTurner({ page, onTurn }: { page: { next: string | null; previous: string | null } | undefined; onTurn: (cursor: string) => void }) {
  if (!page || (!page.next && !page.previous)) return null;
  const turn = (address: string) => onTurn(new URL(address).searchParams.get("cursor") ?? "");
  return (
    <Stack direction="row" sx={{ gap: 1 }}>
      <Button size="small" disabled={!page.previous} onClick={() => turn(page.previous!)}>
        Previous page
      </Button>
      <Button size="small" disabled={!page.next} onClick={() => turn(page.next!)}>
        Next page
      </Button>
    </Stack>
  );
}
