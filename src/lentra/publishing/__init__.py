"""What goes out of the registry by open standards: events of changes (CloudEvents 1.0), signed, sent until they are taken.

It reads the registry and changes nothing of it but how far each subscription has come. What people call is above it.
"""
