"""CAN: frames named by a description (DBC), signals with roles, and what retrofit controllers and connectors over CAN do."""
