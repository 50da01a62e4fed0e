"""What Plan, Stage and Roll call share: the plan canvas, the stage view, handles, aiming, the
structure menu.
"""
