"""Starting and stopping what Intaglio runs on: the database cluster, the server, the workers."""
