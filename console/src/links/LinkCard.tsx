// What meets by one link.
import { Shown } from "../parts/Answers";
import { MeetingView } from "./MeetingView";
import { useMeetings } from "./queries";

export function LinkCard({ id }: { id: number }) {
  const met = useMeetings(id);
  return (
    <Shown query={met} what="what meets by it">
      {(meetings) => (
        <>
          {meetings.map((meeting) => (
            <MeetingView key={`${meeting.one.id} ${meeting.other.id}`} meeting={meeting} />
          ))}
        </>
      )}
    </Shown>
  );
}
