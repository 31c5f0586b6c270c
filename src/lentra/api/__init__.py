"""The HTTP interface: it translates between JSON and the registry, and holds no rules of the job."""
