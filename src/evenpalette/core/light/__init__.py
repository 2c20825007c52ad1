"""The light of Form: its model as text and on the CPU, its lamps and environments; for views, kit, small pictures."""
