"""The rig on sheets: plan, elevations and free sheets, their symbols and labels, background
drawings, pages on paper.
"""
