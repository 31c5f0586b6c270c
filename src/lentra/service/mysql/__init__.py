"""Django's backend for MariaDB, for an address that names several nodes of a cluster: see `base`."""
