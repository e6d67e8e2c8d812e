"""Large files that come in pieces."""

import asyncio

from graupel import pieces


async def sent(content, each, gate=None):
    """A piece as it comes from the network: a chunk at a time, before each of which others have their turn."""
    for at in range(0, len(content), each):
        if gate is not None:
            await gate.wait()
        await asyncio.sleep(0)
        yield content[at : at + each]


def test_the_same_file_from_two_pages_at_once_comes_out_whole(tmp_path):
    content = bytes(range(256)) * 40
    path = pieces.path_of(tmp_path, "7", "hat.pdf")

    async def page(each):
        there = 0
        while there < len(content):
            there = await pieces.take(path, there, 10**6, sent(content[there : there + 3000], each))

    async def both():
        await asyncio.gather(page(700), page(1100))

    asyncio.run(both())
    assert path.read_bytes() == content


def test_a_piece_that_lingers_after_its_sender_went_on_spoils_nothing(tmp_path):
    content = b"abcdefgh" * 500
    path = pieces.path_of(tmp_path, "7", "hat.pdf")

    async def work():
        gate = asyncio.Event()
        lingering = asyncio.create_task(pieces.take(path, 0, 10**6, sent(content[:1000], 250, gate)))
        await asyncio.sleep(0)
        assert await pieces.take(path, 0, 10**6, sent(content[:1000], 1000)) == 1000
        assert await pieces.take(path, 1000, 10**6, sent(content[1000:], 500)) == len(content)
        gate.set()
        await lingering

    asyncio.run(work())
    assert path.read_bytes() == content
