/** Asks before something is deleted. The safe answer comes first, and Enter deletes nothing. */
import { Ask, Button, Foot } from "./controls";

export function ConfirmDelete(props: { name: string | null; text: string; onDelete: () => void; onClose: () => void }) {
  return (
    <Ask title={`Delete ${props.name ?? ""}?`} open={props.name !== null} onClose={props.onClose}>
      <p>{props.text}</p>
      <Foot>
        <Button onPress={props.onClose}>Keep it</Button>
        <Button
          $danger
          onPress={() => {
            props.onDelete();
            props.onClose();
          }}
        >
          Delete
        </Button>
      </Foot>
    </Ask>
  );
}
