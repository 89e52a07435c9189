"""Umweg: diagnosis of mobile hydraulics, from the symptom to the isolated part."""
