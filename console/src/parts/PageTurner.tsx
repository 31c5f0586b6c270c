import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Download } from "./Download";

interface Page {
  next: string | null;
  previous?: string | null;
}

/**
 * The pages of a list with cursors, forth and back; from one that only leads forth (`cursor` is where it stands) to the first.
 * With the list's `address`, it can be taken out whole.
 */
export function PageTurner({ page, cursor, onTurn, address, query }: { page: Page | undefined; cursor?: string | undefined; onTurn: (cursor: string) => void; address?: string; query?: Record<string, string> }) {
  const first = !page?.previous && !!cursor;
  const taken = address && page && <Download address={address} query={query ?? {}} />;
  if (!page || (!page.next && !page.previous && !first)) return taken || null;
  const turn = (address: string) => onTurn(new URL(address).searchParams.get("cursor") ?? "");
  return (
    <Stack direction="row" sx={{ gap: 1 }}>
      {first ? (
        <Button size="small" onClick={() => onTurn("")}>
          First page
        </Button>
      ) : (
        <Button size="small" disabled={!page.previous} onClick={() => turn(page.previous!)}>
          Previous page
        </Button>
      )}
      <Button size="small" disabled={!page.next} onClick={() => turn(page.next!)}>
        Next page
      </Button>
      {taken}
    </Stack>
  );
}
