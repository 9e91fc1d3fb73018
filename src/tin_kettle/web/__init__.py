"""The bench's server: one blueprint a resource, the live socket, whole-song work in processes of their own."""
