"""A sentence of help for each action that does not bring its own, by its id.

Buttons, menus, the palette and the page of keys show it with the action's key.
"""

from __future__ import annotations

HELP = {
    "show.new": "Start an empty show",
    "show.open": "Open a show file",
    "show.demo": "Open Lantern Tide, the show that comes with Isthmus",
    "show.name": "Change title and venue of the show",
    "show.save": "Save the show to its file",
    "show.save_as": "Save the show to another file and go on with that one",
    "show.copy": "Save a copy and go on with this file",
    "show.quit": "Close Isthmus; asks when something is not saved",
    "edit.undo": "Undo the last edit",
    "edit.redo": "Redo the edit undone last",
    "output.switch": "Start or stop sending levels to the network",
    "help.find": "Find a unit, an address, a snag, a page or an action",
    "help.keys": "List every key and what it does",
    "units.home": "Set the selected units to their default levels",
    "units.release_all": "Clear every level asked by hand",
    "hand.reverse": "Turn the order of the selection round",
    "hand.every_other": "Keep the first, third, fifth … of the selection",
    "hand.let_go": "Select nothing (Escape does the same where nothing is open)",
    "hand.all": "Select every unit of the show, by number",
    "hand.drawer": "Fold or unfold the hand controls",
    "profiles.search": "Go to the library and type what to search for",
    "profiles.manual": "Paste a DMX chart or open a PDF, and make a profile of it",
    "profiles.generic": "Make a profile from parts: dimmer, colours, pan and tilt, cells",
    "profiles.exchange": "See which profiles the exchange has",
    "profiles.import": "Copy GDTF files to your own profiles",
    "profiles.folder": "Search another folder or drive for profiles",
    "profiles.patch": "Add units with the selected profile and mode",
    "profiles.like": "Search for modes whose chart is like this one",
    "profiles.download": "Download the selected profile from the exchange",
    "profiles.compare": "Keep this chart and set the next one beside it",
    "profiles.adapt": "Change channels and ranges in a copy of your own",
    "profiles.borrow": "Make a profile for a model that behaves like this one",
    "profiles.export": "Save the selected profile as a GDTF file",
    "patch.unread": "Correct the lines of the hang list that could not be read",
    "patch.replace": "Replace text in the cells of the table",
    "patch.copy_rows": "Copy the selected rows for a spreadsheet, with headings",
    "patch.next_free": "Patch the selected units at the first free addresses that fit",
    "patch.unpatch": "Remove the addresses of the selected units",
    "patch.lock": "Keep the addresses of the selected units from being changed",
    "patch.unlock": "Let the addresses of the selected units be changed",
    "patch.remove": "Remove the selected units from the show",
    "routes.add": "Send a universe, or several, to a node or group",
    "routes.node": "Add a node the show expects on the network",
    "routes.propose_room": "Route universes without an output to the nodes with most free ports",
    "routes.change": "Change address, protocol, priority and more of the selected outputs",
    "routes.number": "Number the selected outputs in order on the wire",
    "routes.mirror": "Send what goes to one node to another as well, or keep that one as a spare",
    "routes.take_over": "Send to the spare of a node instead",
    "routes.remove": "Remove the selected outputs",
    "routes.live": "End blackout and hold of the selected outputs",
    "output.hold": "Keep sending the present levels, or end that",
    "routes.flash": "The selected universe flashes its number, for whoever stands at the node",
    "routes.chase": "Light the selected universes in turn",
    "routes.end_proof": "End the test; the previous levels are restored",
    "nodes.forget": "Forget nodes that no longer answer and ask again",
    "nodes.change": "Change address, ports and place of the selected expected node",
    "nodes.remove": "Remove the selected node from those the show expects",
    "nodes.expect": "Add every node that answers to those the show expects",
    "plan.fit": "Show all of the sheet",
    "plan.fit_hand": "Show the selected units as large as they fit",
    "plan.back": "Back to the part of the sheet shown before",
    "plan.nearer": "Show less of the sheet, larger",
    "plan.further": "Show more of the sheet",
    "plan.lux": "Show the light on the deck as false colours",
    "plan.new_sheet": "Make a free sheet from selected units or from groups",
    "plan.print": "Print the sheet at a true scale",
    "plan.underlay": "Lay a drawing of the venue behind the sheet",
    "choose.text": "Select units by numbers, ranges or names",
    "place.one": "Place the selected units one by one, by clicks",
    "place.line": "Place the selected units along a line",
    "place.path": "Place the selected units along a drawn path",
    "place.circle": "Place the selected units on a circle or an arc",
    "place.grid": "Place the selected units in a grid",
    "align.left": "Align the left edges of the selected units",
    "align.right": "Align the right edges of the selected units",
    "align.top": "Align the upper edges of the selected units",
    "align.bottom": "Align the lower edges of the selected units",
    "align.middle": "Bring the middles of the selected units to one line across",
    "align.centre": "Bring the middles of the selected units to one line up and down",
    "spread.across": "Make the gaps between the selected units equal, across",
    "spread.up": "Make the gaps between the selected units equal, up and down",
    "units.lock_place": "Keep the selected units from being moved, or let them be moved",
    "stage.sent": "Show the levels this show sends, on the units as patched",
    "stage.simulated_rig": "Show what the simulated rig does",
    "stage.side_by_side": "Show what is sent beside what the simulated rig does",
    "stage.difference": "Mark the units where the two differ",
    "stage.fit": "Show all of the rig",
    "stage.fit_hand": "Show the selected units as large as they fit",
    "stage.look": "Haze, room light, beams, and how finely the stage is drawn",
    "stage.keep_view": "Save this view under a name",
    "stage.forget_view": "Delete the saved view that is selected",
    "stage.sit": "Click the seat to see from",
    "stage.picture": "Save a picture, a turntable or a chase",
    "stage.apart": "Show the stage in a window of its own, or bring it back",
    "stage.beside_plan": "Show the plan beside the stage, or the stage alone again",
    "stage.full": "Show the stage over the whole screen, or bring it back",
    "call.hand": "Start a roll call of the selected units only",
    "call.works": "The unit does all it should",
    "call.wrong": "The unit does something else; press 1 to 9 first to say what",
    "call.silent": "The unit does nothing",
    "call.skip": "Leave the unit without a verdict",
    "call.clear": "Clear the verdict of the unit",
    "call.next": "On to the next step",
    "call.back": "Back to the previous step",
    "call.again": "Show the same step again",
    "call.jump": "Call the selected unit",
    "call.end": "End the roll call; the previous levels are restored",
    "rdm.identify": "The devices of the selected units identify themselves",
}


def help_for(action_id: str, text: str) -> str:
    """The sentence of an action; made of its text for those that only go somewhere."""
    if found := HELP.get(action_id):
        return found
    if action_id.startswith("call.way."):
        return f"Mark the unit wrong: {text.partition(': ')[2]}"
    if action_id.startswith("stage.view."):
        return f"See the stage from one of its views: {text.partition(': ')[2]}"
    if ".view." in action_id:
        return f"Show {text.partition(': ')[2]} of the {text.partition(':')[0]} page"
    if action_id.startswith("view."):
        return f"Show the view with number {action_id.removeprefix('view.')} of this page"
    if action_id.startswith("go."):
        return f"Show the {text.removeprefix('Go to ')} page"
    return ""
