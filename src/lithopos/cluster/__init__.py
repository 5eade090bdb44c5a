"""Several machines at one picture: what is traced is handed to a cluster, part by part."""
