"""Work that answers do not wait for: playing circuits, planning; its queue, and what it leaves."""
