// A page that fails shows that it has, and the rest of the console goes on.
import Alert from "@mui/material/Alert";
import AlertTitle from "@mui/material/AlertTitle";
import Button from "@mui/material/Button";
import { Component, type ReactNode } from "react";

export class Fault extends Component<{ children: ReactNode }, { error: unknown }> {
  override state = { error: undefined as unknown };

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  override render() {
    if (this.state.error === undefined) return this.props.children;
    return (
      <Alert severity="error" action={<Button onClick={() => this.setState({ error: undefined })}>Try again</Button>}>
        <AlertTitle>This part of the console has failed</AlertTitle>
        Nothing was changed by that. {String(this.state.error).slice(0, 300)}
      </Alert>
    );
  }
}
