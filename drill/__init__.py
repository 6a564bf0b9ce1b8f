"""The drills: kills of the service, wires that lie, charged units, unfit sequences."""
