"""Reading a photograph of a plate: from pixels to proposed readings in millimetres.

``corners`` finds the plate, ``flatten`` straightens it and evens the light, ``lines`` finds the
pencil lines and lanes, ``spots`` the spots; ``read`` is the whole way and ``proposal`` its result.
Nothing here decides: a person accepts, moves or drops what is proposed.
"""
