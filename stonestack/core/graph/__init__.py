"""From documents to nodes: what makes a map or a file, and the operations of the nodes."""
